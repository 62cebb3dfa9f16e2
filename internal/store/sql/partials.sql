{{- /* Partial results of each segment and group, and the days that they lie on. */ -}}
SELECT {{.Axis.Bucket}}{{range .Labels}}, {{.}}{{end}},
	min({{.Axis.At}}), max({{.Axis.At}}), {{.Records}}
{{- range .Amounts}},
	{{.Count}}, {{.Sum}}::text, {{if .Bounds}}{{.Min}}::text, {{.Max}}::text{{else}}NULL, NULL{{end}}
{{- end}}
FROM {{.Table}}
{{.Where}}
GROUP BY {{places .Keys}}
