{{- /* The earliest or the latest value of each segment and group, and whether others at the same time differ. */ -}}
WITH points AS (
	SELECT {{.Axis.Bucket}} AS segment{{range $i, $label := .Labels}}, {{$label}} AS label{{$i}}{{end}},
		{{.At}} AS at, {{.Record}} AS record, {{.Value}} AS value
	FROM {{.Table}}
	{{.Where}}
)
SELECT DISTINCT ON ({{places .Keys}}) segment{{range $i, $label := .Labels}}, label{{$i}}{{end}}, at, record, value::text,
	min(value) OVER moment <> max(value) OVER moment AS tied
FROM points
WINDOW moment AS (PARTITION BY segment{{range $i, $label := .Labels}}, label{{$i}}{{end}}, at)
ORDER BY {{places .Keys}}, at{{.Direction}}, record{{.Direction}}
