package span

// Whole returns what a span comes to when its unit is over: a form to date, whatever excluding today and so far take
// out of it, is read to the end of the unit that holds the as-of day. Every other span is itself. Names are looked up in
// the scope; errors are those of looking them up.
func Whole(n Node, s Scope) (Node, error) { return s.whole(n, 0) }

func (s *Scope) whole(n Node, names int) (Node, error) {
	switch x := n.(type) {
	case *ToDate:
		return &SetOp{Or, []Node{x, &This{x.Unit}}}, nil
	case *ExcludingToday:
		if whole, err := s.whole(x.X, names); err != nil || whole != x.X {
			return whole, err
		}
	case *SoFar:
		return s.whole(x.X, names)
	case *Move:
		whole, err := s.whole(x.X, names)
		return &Move{whole, x.N, x.Unit}, err
	case *OnlyDays:
		whole, err := s.whole(x.X, names)
		return &OnlyDays{whole, x.Part}, err
	case *InCalendar:
		whole, err := s.whole(x.X, names)
		return &InCalendar{whole, x.Calendar}, err
	case *Name:
		if s.Names == nil || names > maxReferences {
			return n, nil
		}
		target, own, err := s.Names.Span(x.Name)
		if err != nil || !toDate(target) {
			return n, err
		}
		whole, err := s.whole(target, names+1)
		if own != nil {
			whole = &InCalendar{whole, own.Name()}
		}
		return whole, err
	}
	return n, nil
}

// toDate reports whether a form to date, so far or another name is anywhere in a span.
func toDate(n Node) bool {
	found := false
	Walk(n, func(n Node) bool {
		switch n.(type) {
		case *ToDate, *SoFar, *Name:
			found = true
		}
		return !found
	})
	return found
}
