package columnstore

// order returns the positions of keys in ascending order; equal ones lifetime as they are. At most 2^32 keys.
func order(keys []uint64) []uint32 {
	var all uint64
	sorted := true
	for i, k := range keys {
		all |= k
		sorted = sorted && (i == 0 || keys[i-1] <= k)
	}
	list := make([]uint32, len(keys))
	for i := range list {
		list[i] = uint32(i)
	}
	if sorted {
		return nil
	}
	const digit = 11
	other := make([]uint32, len(keys))
	for shift := 0; shift < 64 && all>>shift != 0; shift += digit {
		var count [1 << digit]int
		for _, k := range keys {
			count[k>>shift&(1<<digit-1)]++
		}
		at := 0
		for i, n := range count {
			count[i], at = at, at+n
		}
		for _, i := range list {
			d := keys[i] >> shift & (1<<digit - 1)
			other[count[d]] = i
			count[d]++
		}
		list, other = other, list
	}
	return list
}

// ordered returns a list in an order; nil is the order in which it is.
func ordered[T any](list []T, by []uint32) []T {
	if by == nil {
		return list
	}
	sorted := make([]T, len(list))
	for i, at := range by {
		sorted[i] = list[at]
	}
	return sorted
}
