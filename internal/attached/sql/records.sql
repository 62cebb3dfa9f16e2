{{- /* Records in order. */ -}}
SELECT
	{{join .Texts ",\n\t"}}
FROM (
	SELECT
		{{join .Selected ",\n\t\t"}}
	FROM {{.Table}}
	{{- if .Where}}
	WHERE {{join .Where " AND "}}{{end}}
	{{- if .Order}}
	ORDER BY {{join .Order ", "}}{{end}}
	{{- .Page}}
) AS vs
