package locate

import (
	"os"
	"runtime"
	"strings"

	"endroit/core/place"
	"endroit/machine"
)

// nativeForms writes a folder of this system in the ways that can be pasted here.
func nativeForms(a place.Anchor, folder string, roots place.Roots) []place.Form {
	if folder == "" {
		return []place.Form{}
	}
	if runtime.GOOS != "windows" {
		return []place.Form{{For: place.ForShell, Text: place.ShellQuote(folder)}}
	}
	return windowsForms(a, folder, roots[a], os.Getenv)
}

// windowsForms writes a folder of Windows below an anchor's. The variable is told
// only if it leads to the same folder: somebody may have moved it.
func windowsForms(a place.Anchor, folder, top string, environment func(name string) string) []place.Form {
	path := strings.ReplaceAll(folder, "/", `\`)
	if variable := place.WindowsVariable(a); variable != "" && top != "" {
		top = strings.ReplaceAll(top, "/", `\`)
		name, behind, _ := strings.Cut(strings.TrimPrefix(variable, "%"), "%")
		value := strings.TrimRight(strings.ReplaceAll(environment(name), "/", `\`), `\`)
		if value != "" && strings.EqualFold(value+behind, top) && len(path) >= len(top) &&
			strings.EqualFold(path[:len(top)], top) {
			path = variable + path[len(top):]
		}
	}
	return []place.Form{{For: place.ForFileManager, Text: path}, {For: place.ForPowerShell, Text: place.PowerShellQuote(path)}}
}

// prefixForms writes a folder of a prefix in the ways that can be pasted inside
// it and outside.
func prefixForms(at place.Location, folder string, p *machine.Prefix) []place.Form {
	forms := []place.Form{}
	if folder == "" {
		return forms
	}
	inside := p.WindowsPath(at.Anchor, folder)
	if inside == "" {
		inside = p.Inside(folder)
	}
	if inside != "" {
		manager := inside
		// As for Windows: only if nobody moved the folder.
		if variable := place.WindowsVariable(at.Anchor); variable != "" &&
			strings.EqualFold(p.Expand(variable), p.Windows[at.Anchor]) {
			manager = variable + strings.TrimPrefix(inside, p.Windows[at.Anchor])
		}
		forms = append(
			forms, place.Form{For: place.ForFileManager, Text: manager},
			place.Form{For: place.ForPrograms, Text: inside},
		)
	}
	return append(forms, place.Form{For: place.ForShell, Text: place.ShellQuote(folder)})
}
