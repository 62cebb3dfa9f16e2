package query

import "vastspan/core/dataset"

// EachExpression shows everything of a query that may be an expression, so that it can be changed.
func (q *Query) EachExpression(show func(text *string)) {
	for i := range q.Over {
		show(&q.Over[i])
	}
	for i := range q.Against {
		show(&q.Against[i])
	}
	EachFilterSpan(q.Where, show)
	for i := range q.AgainstDataset {
		EachFilterSpan(q.AgainstDataset[i].Where, show)
	}
}

// EachFilterSpan shows what may be an expression in filters.
func EachFilterSpan(list dataset.Filters, show func(text *string)) {
	for _, f := range list {
		for i := range f {
			if f[i].Op.TakesSpans() {
				for j := range f[i].Values {
					show(&f[i].Values[j])
				}
			}
		}
	}
}

// EachDataset shows the names of the datasets that a query is about, so that they can be changed.
func (q *Query) EachDataset(show func(name *string)) {
	if q.Dataset != "" {
		show(&q.Dataset)
	}
	for i := range q.AgainstDataset {
		show(&q.AgainstDataset[i].Dataset)
	}
}
