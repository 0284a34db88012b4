package machine_test

import (
	"context"
	"fmt"
	"log"
	"os"
	"path/filepath"

	"endroit/core/place"
	"endroit/machine"
)

// Which files of this machine a location names: roots are place.LinuxRoots here, and
// machine.Roots on any system.
func ExampleFind() {
	home, err := os.MkdirTemp("", "endroit-example-")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(home)
	slots := filepath.Join(home, ".local", "share", "tidewrack", "slots")
	if err := os.MkdirAll(slots, 0o755); err != nil {
		log.Fatal(err)
	}
	for _, name := range []string{"harbour.sav", "harbour.png"} {
		if err := os.WriteFile(filepath.Join(slots, name), []byte("lantern"), 0o644); err != nil {
			log.Fatal(err)
		}
	}

	location, err := place.Parse("xdg-data:tidewrack/slots/{slot}.sav")
	if err != nil {
		log.Fatal(err) // also for what is too wide: a signature does not make it harmless
	}
	roots := place.LinuxRoots(map[string]string{"HOME": home})
	found, err := machine.Find(context.Background(), roots, location, nil)
	if err != nil {
		log.Fatal(err)
	}
	for _, f := range found.Files {
		fmt.Println(filepath.Base(f.Path), f.Captures["slot"])
	}
	// Output: harbour.sav harbour
}
