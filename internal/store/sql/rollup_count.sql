{{- /* Records added up by day or hour and combination of categories. */ -}}
SELECT {{.Key}}, count(*){{range .Categories}}, {{.}}{{end}}
{{- range .Amounts}}, count({{.}}), sum({{.}}), min({{.}}), max({{.}}){{end}}
FROM {{.Table}} AS r
WHERE {{.Which}}
GROUP BY 1{{range $i, $_ := .Categories}}, {{.}}{{end}}
