package words

import "unicode"

// Split cuts a name where its characters change their class (letters, digits, others), and
// where a capital follows a small letter: keepers-Anna12 into keepers, -, Anna and 12. The
// pieces, joined, are the name.
func Split(name string) (pieces []string) {
	start, before := 0, rune(0)
	for i, r := range name {
		camel := unicode.IsUpper(r) && unicode.IsLower(before)
		if i > 0 && (class(r) != class(before) || camel) {
			pieces = append(pieces, name[start:i])
			start = i
		}
		before = r
	}
	if start < len(name) {
		pieces = append(pieces, name[start:])
	}
	return pieces
}

func class(r rune) int {
	switch {
	case unicode.IsLetter(r) || unicode.IsMark(r):
		return 1
	case unicode.IsDigit(r):
		return 2
	}
	return 0
}
