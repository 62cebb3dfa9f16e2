{{- /* Records added up by day and combination of categories. */ -}}
SELECT {{.Day}}, count(*){{range .Categories}}, {{.}}{{end}}
{{- range .Amounts}}, count({{.}}), sum({{.}}), min({{.}}), max({{.}}){{end}}
FROM {{.Table}} AS r
WHERE {{.Which}}
GROUP BY 1{{range $i, $_ := .Categories}}, {{.}}{{end}}
