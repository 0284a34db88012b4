// Package late compiles regular expressions when they are first used: a program that
// knows some dozens of them mostly needs none.
//
//	var digits = late.Regexp(`[0-9]+`)
//	digits().MatchString(text)
package late

import (
	"regexp"
	"sync"
)

// Regexp gives the expression, which has to be right: like regexp.MustCompile it
// panics otherwise, at the first use.
func Regexp(text string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(text) })
}
