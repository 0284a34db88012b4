package cli

import (
	"context"
	"embed"
	"slices"
	"strings"

	"github.com/agnivade/levenshtein"
	"github.com/urfave/cli/v3"

	"endroit/capture/cues"
)

// helpTexts holds a file for each command: how it is called, what it does, examples; a line
// of three dashes stands between them. --help and the man page are made from it.
//
//go:embed help/*.txt
var helpTexts embed.FS

// command fills in what all commands have in common; text is the name of its help file.
func command(c *cli.Command, category, text string) *cli.Command {
	c.Category = category
	c.OnUsageError = usageError
	raw, err := helpTexts.ReadFile("help/" + text + ".txt")
	if err != nil {
		panic(err) // it is embedded
	}
	filled := string(raw)
	if strings.Contains(filled, "{{") {
		filled = strings.NewReplacer("{{cues}}", strings.Join(cues.Standard, ", "), "{{columns}}", columnList()).Replace(filled)
	}
	parts := strings.SplitN(filled, "---\n", 3)
	c.UsageText = strings.TrimSpace(parts[0])
	example := strings.ReplaceAll(strings.TrimSpace(parts[2]), "\n", "\n  ")
	c.Description = strings.TrimSpace(strings.TrimSpace(parts[1]) + "\n\nExample:\n  " + example)
	return c
}

// helpCommand prints what --help prints: endroit help trace show.
func (a *app) helpCommand() *cli.Command {
	return command(&cli.Command{
		Name: "help", Usage: "explain a command",
		Action: func(_ context.Context, c *cli.Command) error {
			at := c.Root()
			for _, name := range c.Args().Slice() {
				next := at.Command(name)
				if next == nil {
					return unknownCommand(at, name)
				}
				at = next
			}
			return a.root().Run(context.Background(), slices.Concat([]string{"endroit"}, c.Args().Slice(), []string{"--help"}))
		},
	}, program, "help")
}

// maxTypos is how many letters a misspelt command may be off.
const maxTypos = 2

// unknownCommand is the error for a command that does not exist, with the ones that could
// be meant.
func unknownCommand(in *cli.Command, name string) error {
	var similar []string
	for _, c := range in.Commands {
		if !c.Hidden &&
			(levenshtein.ComputeDistance(c.Name, name) <= maxTypos || len(name) > 2 && strings.HasPrefix(c.Name, name)) {
			similar = append(similar, c.Name)
		}
	}
	if len(similar) > 0 {
		return fail(exitUsage, "there is no command %q; did you mean %s?", name, strings.Join(similar, " or "))
	}
	return fail(exitUsage, "there is no command %q; %s --help lists them", name, in.FullName())
}

// manualPage is made from the commands by TestTheManualPage: making it anew takes packages
// that would be initialised before every command.
//
//go:embed help/endroit.1
var manualPage []byte

// manual prints the manual page.
func (a *app) manual() *cli.Command {
	return command(&cli.Command{
		Name: "man", Usage: "print the manual page",
		Action: func(_ context.Context, _ *cli.Command) error {
			_, err := a.out.Write(manualPage)
			return err
		},
	}, program, "man")
}
