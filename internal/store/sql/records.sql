{{- /* Records with a day, in the order of their days and numbers. */ -}}
SELECT {{.Record}}, {{.Day}}{{range .Columns}}, {{.}}{{end}}
FROM {{.Table}}
{{.Where}}
ORDER BY 2{{.Direction}}, 1{{.Direction}}
{{- if .Limit}} LIMIT {{.Limit}}{{end}}
