{{- /* What changed between two states of the records: the records that went and those that came, without those that are alike in all
columns; with a key, records of the same key together. */ -}}
WITH moved AS (
	SELECT false AS came, {{join .Columns}} FROM {{.Past}} WHERE _since <= {{.From}} AND _until > {{.From}} AND _until <= {{.Until}}
	UNION ALL
	SELECT true, {{join .Columns}} FROM {{.Table}} WHERE _since > {{.From}} AND _since <= {{.Until}}
	UNION ALL
	SELECT true, {{join .Columns}} FROM {{.Past}} WHERE _since > {{.From}} AND _since <= {{.Until}} AND _until > {{.Until}}
), numbered AS (
	SELECT *, row_number() OVER (PARTITION BY {{join .Alike}}, came ORDER BY _record) AS nth FROM moved
), net AS (
	SELECT bool_or(came) AS came, min(_record) AS _record, {{join .Alike}} FROM numbered
	GROUP BY {{join .Alike}}, nth HAVING count(*) = 1
), kept AS (
	SELECT *, row_number() OVER (PARTITION BY {{if .Key}}{{join .Key}}, {{end}}came ORDER BY _record) AS pair FROM net
	{{.Where}}
), changed AS (
	SELECT bool_or(NOT came) AS before, bool_or(came) AS after, min(_record) AS record, max({{.Day}}) AS day{{range .Values}},
		max({{.}}) FILTER (WHERE NOT came) AS {{.}}_before, max({{.}}) FILTER (WHERE came) AS {{.}}_after{{end}}
	FROM kept GROUP BY {{if .Key}}{{join .Key}}, pair{{else}}came, pair{{end}}
)
