{{- /* What the records of each segment and group come to. Of a table that is put together of parts on several servers, each
part is added up by itself: sums of parts are pushed to their servers whole. */ -}}
SELECT
	{{join .Texts ",\n\t"}}
FROM (
{{- range $i, $table := .Tables}}
	{{- if $i}}
	UNION ALL{{end}}
	SELECT
		{{join $.Selected ",\n\t\t"}}
	FROM {{$table}}
	{{- if $.Where}}
	WHERE {{join $.Where " AND "}}{{end}}
	{{- if $.Keys}}
	GROUP BY {{join $.Keys ", "}}{{end}}
{{- end}}
) AS vs
