{{- /* Adds the sums of the table fresh to those of the days that they lie on. */ -}}
WITH old AS (
	DELETE FROM {{.Table}}
	WHERE {{.Day}} IN (SELECT {{.Day}} FROM fresh)
		OR {{.Day}} IS NULL AND EXISTS (SELECT FROM fresh WHERE {{.Day}} IS NULL)
	RETURNING {{join .Columns}}
)
INSERT INTO {{.Table}} ({{join .Columns}})
SELECT {{.Day}}, sum({{.Records}}){{range .Categories}}, {{.}}{{end}}
{{- range .Amounts}}, sum({{index . 0}}), sum({{index . 1}}), min({{index . 2}}), max({{index . 3}}){{end}}
FROM (SELECT {{join .Columns}} FROM old UNION ALL SELECT {{join .Columns}} FROM fresh) AS together
GROUP BY {{.Day}}{{range .Categories}}, {{.}}{{end}}
