{{- /* The earliest or the latest value of each segment and group. */ -}}
SELECT DISTINCT ON ({{places .Keys}}) {{bucket .Day}}{{range .Labels}}, {{.}}{{end}},
	{{.At}} AS at, {{.Record}} AS record, {{.Value}}::text
FROM {{.Table}}
{{.Where}}
ORDER BY {{places .Keys}}, at{{.Direction}}, record{{.Direction}}
