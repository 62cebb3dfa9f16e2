{{- /* Figures of which partial results do not combine, of every period and group and of the groups put
together. Each record is joined to the periods that hold it; sorting is the database's, which need
not keep it in memory. */ -}}
SELECT period{{range $i, $_ := .Labels}}, g{{$i}}, grouping(g{{$i}}){{end}}
{{- range .Figures}},
	{{if .Order}}percentile_disc({{.Order}}) WITHIN GROUP (ORDER BY {{.Value}})::text, percentile_disc(1 - {{.Order}}) WITHIN GROUP (ORDER BY {{.Value}} DESC)::text
	{{- else}}count(DISTINCT {{.Value}})::text, NULL{{end}}
{{- end}}
FROM (VALUES {{join .Periods}}) AS s(period, since, until)
JOIN (
	SELECT {{.At}} AS at{{range $i, $l := .Labels}}, {{$l}} AS g{{$i}}{{end}}{{range $i, $v := .Values}}, {{$v}} AS v{{$i}}{{end}}
	FROM {{.Table}}
	{{.Where}}
) AS r ON r.at >= s.since AND r.at < s.until
GROUP BY GROUPING SETS ({{join .Sets}})
