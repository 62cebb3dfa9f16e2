{{- /* Records with a day, in the order of their time and numbers. */ -}}
SELECT {{.Record}}, {{.Day}}, {{if .Moment}}{{.Moment}}{{else}}NULL::timestamptz{{end}}{{range .Columns}}, {{.}}{{end}}
FROM {{.Table}}
{{.Where}}
ORDER BY 2{{.Direction}}{{if .Moment}}, 3{{.Direction}}{{end}}, 1{{.Direction}}
{{- if .Limit}} LIMIT {{.Limit}}{{end}}
