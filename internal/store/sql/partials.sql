{{- /* Partial results of each segment and group, and the days that they lie on. */ -}}
SELECT {{bucket .Day}}{{range .Labels}}, {{.}}{{end}},
	min({{.Day}}), max({{.Day}}), {{.Records}}
{{- range .Amounts}},
	{{.Count}}, {{.Sum}}::text, {{if .Bounds}}{{.Min}}::text, {{.Max}}::text{{else}}NULL, NULL{{end}}
{{- end}}
FROM {{.Table}}
{{.Where}}
GROUP BY {{places .Keys}}
