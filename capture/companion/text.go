package companion

// The packages strconv and strings are initialised late.

// digits writes a number that is not negative.
func digits(n uint64) string {
	var text [20]byte
	at := len(text)
	for {
		at--
		text[at] = '0' + byte(n%10)
		if n /= 10; n == 0 {
			return string(text[at:])
		}
	}
}

// number reads one that digits wrote.
func number(text string) (n uint64, ok bool) {
	if text == "" || len(text) > 20 {
		return 0, false
	}
	for _, c := range []byte(text) {
		d := uint64(c - '0')
		if d > 9 || n > (1<<64-1-d)/10 {
			return 0, false
		}
		n = n*10 + d
	}
	return n, true
}

// split reads words that stand one behind the other, a NUL after each.
func split(text []byte) (words []string) {
	from := 0
	for i, c := range text {
		if c == 0 {
			words = append(words, string(text[from:i]))
			from = i + 1
		}
	}
	if from < len(text) {
		words = append(words, string(text[from:]))
	}
	return words
}
