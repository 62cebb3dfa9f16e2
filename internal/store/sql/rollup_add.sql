{{- /* Adds the sums of a temporary table to those of the days or hours that they lie in. */ -}}
WITH old AS (
	DELETE FROM {{.Table}}
	WHERE {{.Key}} IN (SELECT {{.Key}} FROM {{.Fresh}})
		OR {{.Key}} IS NULL AND EXISTS (SELECT FROM {{.Fresh}} WHERE {{.Key}} IS NULL)
	RETURNING {{join .Columns}}
)
INSERT INTO {{.Table}} ({{join .Columns}})
SELECT {{.Key}}, sum({{.Records}}){{range .Categories}}, {{.}}{{end}}
{{- range .Amounts}}, sum({{index . 0}}), sum({{index . 1}}), min({{index . 2}}), max({{index . 3}}){{end}}
FROM (SELECT {{join .Columns}} FROM old UNION ALL SELECT {{join .Columns}} FROM {{.Fresh}}) AS together
GROUP BY {{.Key}}{{range .Categories}}, {{.}}{{end}}
