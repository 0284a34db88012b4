package cli

import (
	"context"
	"fmt"
	"regexp"
	"strings"
	"sync"

	"github.com/urfave/cli/v3"
)

func usageError(_ context.Context, c *cli.Command, err error, _ bool) error {
	says, _ := plainUsage(err.Error())
	return fail(exitUsage, "%s; see %s --help", says, c.FullName())
}

// libraryWords are what the command-line library says, and how this program says it.
var libraryWords = sync.OnceValue(func() (list []struct {
	says *regexp.Regexp
	as   string
}) {
	for _, x := range [][2]string{
		{`^flag provided but not defined: -+(\S+)$`, "there is no option --$1"},
		{`^flag needs an argument: -+(\S+)$`, "--$1 needs a value"},
		{`^Required flags "([^",]+), ([^",]+)" not set$`, "--$1 and --$2 are required"},
		{`^Required flags? "([^"]+)" not set$`, "--$1 is required"},
		{`^invalid value ("[^"]*") for flag -+(\S+): .*invalid syntax$`, "--$2 $1 is not a number"},
		{`^invalid value ("[^"]*") for flag -+(\S+): .*invalid duration.*$`, "--$2 $1 is not a duration; write it like 10m or 90s"},
		{`^invalid value ("[^"]*") for flag -+(\S+): (.*)$`, "--$2 $1 is invalid: $3"},
		{`^invalid boolean value ("[^"]*") for -+(\S+):.*$`, "--$2 takes no value"},
	} {
		list = append(list, struct {
			says *regexp.Regexp
			as   string
		}{regexp.MustCompile(x[0]), x[1]})
	}
	return list
})

// plainUsage says an error of the command-line library as this program does; known is whether
// it is one.
func plainUsage(message string) (says string, known bool) {
	message, _, _ = strings.Cut(strings.TrimSuffix(message, "."), "\n")
	for _, w := range libraryWords() {
		if w.says.MatchString(message) {
			return w.says.ReplaceAllString(message, w.as), true
		}
	}
	return message, false
}

func sprint(v any) string { return fmt.Sprint(v) }
