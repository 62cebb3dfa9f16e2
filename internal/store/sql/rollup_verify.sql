{{- /* Counts the day sums that differ from what the records come to. */ -}}
SELECT (SELECT count(*) FROM {{.Sums}}) AS rows, (SELECT count(*) FROM {{.Table}}) AS records, (
	SELECT count(*) FROM (
		(SELECT {{join .Columns}} FROM {{.Sums}} EXCEPT ALL {{.Counted}})
		UNION ALL
		({{.Counted}} EXCEPT ALL SELECT {{join .Columns}} FROM {{.Sums}})
	) AS different
) AS wrong
