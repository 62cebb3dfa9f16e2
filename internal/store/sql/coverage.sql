{{- /* How many records there are, with and without a day, and from when to when. */ -}}
SELECT {{.At}} IS NULL, {{.Records}}, min({{.At}}), max({{.At}}) FROM {{.Table}} GROUP BY 1
