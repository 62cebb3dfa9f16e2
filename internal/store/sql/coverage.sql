{{- /* How many records there are, with and without a day, and from when to when. */ -}}
SELECT {{.Day}} IS NULL, {{.Records}}, min({{.Day}}), max({{.Day}}) FROM {{.Table}} GROUP BY 1
