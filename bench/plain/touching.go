package plain

// Parts finds the numbers of a field whose numbers touch, as in fixed columns: 0.00-0.51500 are two. There are at least two, each
// but the first with a sign; else there is none.
func Parts(field string) (spans [][2]int) {
	for from := 0; from < len(field); {
		to := numberEnd(field, from)
		if to == from || from > 0 && field[from] != '-' && field[from] != '+' {
			return nil
		}
		spans = append(spans, [2]int{from, to})
		from = to
	}
	if len(spans) < 2 {
		return nil
	}
	return spans
}

// numberEnd is where the number ends that begins at from; from itself where none does. Behind a point an exponent may stand without
// its letter, as in 2.1+11: a sign and up to three digits that no point follows.
func numberEnd(text string, from int) int {
	digits := func(at int) int {
		for at < len(text) && text[at] >= '0' && text[at] <= '9' {
			at++
		}
		return at
	}
	sign := func(at int) int {
		if at < len(text) && (text[at] == '-' || text[at] == '+') {
			return at + 1
		}
		return at
	}
	begin := sign(from)
	at := digits(begin)
	whole, point := at-begin, false
	if at < len(text) && text[at] == '.' {
		point = true
		end := digits(at + 1)
		whole += end - at - 1
		at = end
	}
	if whole == 0 {
		return from
	}
	if at < len(text) && (text[at] == 'e' || text[at] == 'E' || text[at] == 'd' || text[at] == 'D') {
		if start := sign(at + 1); digits(start) > start {
			return digits(start)
		}
		return at
	}
	if start := sign(at); point && start > at {
		if end := digits(start); end > start && end-start <= 3 && (end == len(text) || text[end] != '.') {
			return end
		}
	}
	return at
}
