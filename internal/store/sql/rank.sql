{{- /* The top values of a category over the first period, among those that are in any, and how many there are. */ -}}
SELECT label, count(*) OVER ()
FROM (
	SELECT {{.Label}} AS label, {{.Axis.Bucket}} = ANY ({{.First}}) AS inside, {{.Records}} AS records
	{{- with .Amount}}, {{index . 0}} AS n, {{index . 1}} AS s, {{index . 2}} AS least, {{index . 3}} AS most{{end}}
	FROM {{.Table}}
	{{.Where}}
) AS looked
GROUP BY label
ORDER BY {{.Value}} DESC NULLS LAST, {{.Order}} NULLS LAST
LIMIT {{.Top}}
