// Command endroit finds out where games keep their progress and settings.
package main

import (
	"context"
	"os"

	"endroit/cli"
)

func main() {
	os.Exit(cli.Main(context.Background(), os.Args))
}
