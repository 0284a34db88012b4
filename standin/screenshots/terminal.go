package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// commandPictures are the commands whose output is kept, and who types them.
//
// What is typed before, such as what runs in another terminal, is not shown.
var commandPictures = []struct{ name, home, command, before string }{
	{"footprint", "mira", "endroit footprint tidewrack.trace", ""},
	{"follow", "mira", "endroit trace --follow", playing},
	{"propose", "mira", "endroit propose tidewrack.trace --out again.yaml; echo; endroit try again.yaml", ""},
	{"submit", "mira", "endroit submit tidewrack.draft.yaml --yes | tail -n 45", ""},
	{"review", "anselm", "endroit review list; echo; endroit review show 9", ""},
	{"locate", "tobin", "endroit locate 'Ninefold Orchard'; echo; endroit identify https://quayside.example/title/505310/", ""},
	{"machine", "tobin", "endroit machine", ""},
	{"putback", "tobin", "endroit putback 'before the storm' --dry-run; echo; endroit copies", copied},
	{"prove", "mira", "endroit prove tidewrack.draft.yaml --yes --although observed --although cloud --ask ./state.sh -- ./play.sh", provable},
}

// playing is a game in another terminal, that has just been saved.
const playing = `{ echo 'set volume 40'; echo 'play 60'; echo 'save 1'; echo 'play 120'; echo 'shot'; echo 'save 2'; sleep 20; } |
	endroit trace --title Tidewrack --out played.trace -- .local/share/quayside/installed/Tidewrack/tidewrack - >/dev/null 2>&1 &
	for word in ready saved; do sleep 3.3; endroit cue "$word" >/dev/null; done; (sleep 3; touch "$DONE") & `

// copied is a copy, and the game played on after it.
const copied = `endroit copy saltglass --name 'before the storm' --yes >/dev/null 2>&1; endroit copy --all >/dev/null 2>&1;
	f=$(endroit locate saltglass --json | sed -n 's/.*"path": "\(.*voyage.glass\)".*/\1/p' | head -n 1)
	sleep 3; echo 'a longer voyage' > "$f"; `

// provable is a game with progress, and two scripts: one starts it and loads, one says what it
// showed.
const provable = `G=.local/share/quayside/installed/Tidewrack/tidewrack; printf 'play 300\nsave 1\n' | $G -pace free - >/dev/null 2>&1;
	printf '#!/bin/sh\necho load 1 | '"$G"' -pace free - > shown.txt 2>&1\n' > play.sh;
	printf '#!/bin/sh\ngrep -q "^loaded" shown.txt && echo progress || echo new\n' > state.sh; chmod +x play.sh state.sh; `

// commands takes each in an xterm on a screen in memory.
func commands(ctx context.Context, programs, folder, out, only string) error {
	programs, err := filepath.Abs(programs)
	if err != nil {
		return err
	}
	for _, c := range commandPictures {
		if only != "" && !strings.Contains(c.name, only) {
			continue
		}
		file, err := filepath.Abs(filepath.Join(out, c.name+".png"))
		if err != nil {
			return err
		}
		home := filepath.Join(folder, "homes", c.home)
		done := filepath.Join(folder, c.name+".done")
		script := fmt.Sprintf(
			"cd %q && %s clear && printf '$ %%s\\n' %q && { %s; } 2>&1; touch %q; sleep 30", home, c.before,
			c.command, c.command, done,
		)
		if err := terminal(ctx, programs, home, script, done, file); err != nil {
			return fmt.Errorf("picture %s: %w", c.name, err)
		}
	}
	return nil
}

func terminal(ctx context.Context, programs, home, script, done, file string) error {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	screen := exec.CommandContext(ctx, "xvfb-run", "-a", "-s", "-screen 0 1280x800x24", "sh", "-c",
		`xterm -fa 'DejaVu Sans Mono' -fs 9 -geometry 159x53+0+0 -bg '#fffdf8' -fg '#1f2a29' -e sh -c "$SCRIPT" & xterm=$!
		n=0; while [ ! -e "$DONE" ] && [ $n -lt 300 ]; do sleep 0.1; n=$((n+1)); done; sleep 0.6
		import -window root "$FILE"; kill $xterm`)
	screen.Env = []string{
		"HOME=" + home,
		"PATH=" + programs + ":" + os.Getenv("PATH"),
		"SCRIPT=" + script,
		"DONE=" + done,
		"FILE=" + file,
		"LANG=C.UTF-8",
	}
	if text, err := screen.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, text)
	}
	return nil
}
