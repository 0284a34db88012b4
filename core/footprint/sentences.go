package footprint

import (
	"fmt"
	"time"

	"endroit/core/content"
	"endroit/core/trace"
)

// Sentence is the finding in words that a person can check; empty if this program does not
// know the finding.
func (f Finding) Sentence() string {
	if say := sentences[f.ID]; say != nil {
		return say(f.Facts)
	}
	return ""
}

func always(text string) func(Facts) string { return func(Facts) string { return text } }

func withWord(format string) func(Facts) string {
	return func(f Facts) string { return fmt.Sprintf(format, f.Word) }
}

func withTimes(format string) func(Facts) string {
	return func(f Facts) string { return fmt.Sprintf(format, times(f.Count)) }
}

func withClock(format string) func(Facts) string {
	return func(f Facts) string { return fmt.Sprintf(format, clock(f.At)) }
}

func byCase(cases map[string]func(Facts) string) func(Facts) string {
	return func(f Facts) string {
		if say := cases[f.Case]; say != nil {
			return say(f)
		}
		return cases[""](f)
	}
}

const (
	nameContains = "its name contains %q"
	inFolder     = "it lies in a folder called %s"
	createdIn    = "it was created in a folder called %s"
)

// sentences is the one place in which findings become words.
var sentences = map[string]func(Facts) string{
	"system-path": byCase(map[string]func(Facts) string{
		"":        withWord("it lies in %s, which belongs to the operating system"),
		"hive":    always("it is the prefix's registry file; what programs keep is in its keys"),
		"prefix":  always("it is one of Windows' own files in the prefix"),
		"view":    always("Windows keeps how the folder is shown in it"),
		"windows": always("it is one of Windows' own files"),
		"share":   always("it lies in /usr/share and was never written"),
	}),
	"desktop-file":             withWord("%s belongs to the desktop, not to a title"),
	"windows-key":              withWord("keys in %s belong to Windows or to what runs it"),
	"session-key":              always("Windows keeps this key for one session only and creates it again"),
	"written-by-others":        always(trace.Unobserved + ", and its name is not the title's: another program may have done so for itself"),
	"written-by-a-service":     always(trace.Unobserved + ": another program may have, on the game's behalf"),
	"program-key":              always("it is a key of a program's own in the registry, where settings are kept"),
	"never-written-in-install": always("it came with the installation and was never written"),
	"never-written-shared":     always("it lies in a folder for installed programs and was never written"),
	"never-written-media":      withWord("it looks like a %s and was never written"),
	"became-another":           withWord("it was written and then renamed to %s"),
	"written-and-removed":      withClock("it was made in this run and removed again at %s"),
	"temporary-folder": byCase(map[string]func(Facts) string{
		"": withWord("it lies in %s"), "windows": always("it lies in Windows' folder for temporary files"),
	}),
	"temporary-name":    always("its name is one for temporary files"),
	"lock-name":         always("its name is one for locks"),
	"empty-and-removed": always("it stayed empty and was removed"),
	"cache-folder": byCase(map[string]func(Facts) string{
		"": withWord(inFolder), "caches": always("it lies in the folder for caches (XDG_CACHE_HOME)"),
	}),
	"cache-name":       withWord(nameContains),
	"compiled-code":    withWord("its extension %s is one for compiled code, which can be made again"),
	"made-from-asset":  withWord("it was made once, right after %s was read, as others beside it were: it can be made again"),
	"thumbnail-folder": withWord(createdIn),
	"fetched-folder":   withWord(createdIn),
	"log-name":         always("its name is one for logs"),
	"crash-report": byCase(map[string]func(Facts) string{
		"":          withWord(nameContains + ", and the program never read it"),
		"extension": withWord("its extension %s is one for reports of crashes"),
	}),
	"log-folder":           withWord(inFolder),
	"appended-at-the-end":  withTimes("it was only appended to (%s)"),
	"grew-while-open":      withTimes("it stayed open and kept growing (%s)"),
	"opened-often":         withTimes("it was appended to %s"),
	"read-with-content":    always("the program read it, which few do with a log"),
	"config-name":          withWord(nameContains),
	"setting-name":         withWord(nameContains),
	"rc-name":              always("its name ends in rc, as those of settings files do"),
	"dot-file":             always("it is a hidden file in the home, called like the program"),
	"config-extension":     withWord("its extension %s is one for settings"),
	"config-folder":        always("it lies in the folder for settings (XDG_CONFIG_HOME)"),
	"settings-inside":      always("its content is names with values"),
	"written-near-setting": nearCue,
	"written-near-saved":   nearCue,
	"written-then-alone":   always("it was written only then"),
	"read-first":           withClock("it was read at %s and written later"),
	"save-name":            withWord(nameContains),
	"progress-name": byCase(map[string]func(Facts) string{
		"": withWord(nameContains), "folder": withWord(inFolder),
	}),
	"save-extension": withWord("its extension %s is one for progress"),
	"save-folder":    withWord(inFolder),
	"written-near-exit": func(f Facts) string {
		if f.At == 0 {
			return "it was written as the program ended"
		}
		return fmt.Sprintf("it was last written %s before the program ended", clock(f.At))
	},
	"replaced-through-temporary": withWord("it was written under the temporary name %s and renamed into place"),
	"bytes-inside": func(f Facts) string {
		if f.Word == content.Bytes {
			return "its content is binary"
		}
		return "its content looks like: " + f.Word
	},
	"data-folder":       withWord("it lies in a folder for program data (%s)"),
	"keeps-old-content": withWord("it has the previous content of %s"),
	"written-at-any-time": func(f Facts) string {
		return fmt.Sprintf("%d of its %d writes are near the cue saved", f.Count, f.Of)
	},
	"written-at-the-start-alone": func(f Facts) string {
		text := fmt.Sprintf("it was last written at %s, before the game was ready", clock(f.At))
		if f.Word != "" {
			text += " (the cue " + f.Word + ")"
		}
		return text
	},
	"gone-afterwards":    always("it was gone at the end"),
	"credential-name":    withWord(nameContains + ": credentials are neither progress nor settings"),
	"only-forward":       withTimes("it stayed open and grew (%s)"),
	"rewritten-in-place": withTimes("it stayed open and was rewritten from an earlier position (%s)"),
	"never-written": func(f Facts) string {
		if f.Count > 0 {
			return fmt.Sprintf("it was opened for writing %s, but not written", times(f.Count))
		}
		return "it was never written in this run"
	},
	"beside-saves":        withWord("%s beside it, with the same ending, is progress"),
	"beside-settings":     withWord("%s beside it, with the same ending, is settings"),
	"beside-pictures":     withWord("%s beside it, with the same ending, is a picture or a recording"),
	withSave:              withWord("it was written each time that %s beside it was, and both were there before"),
	"crash-folder":        withWord("it lies in %s, where crashes are reported from"),
	"picture-made":        withWord("it is a %s made in this run"),
	"picture-folder":      withWord(inFolder),
	"recording-extension": withWord("its extension %s is one for recordings"),
	"only-when-set":       withWord("it was written only in the runs marked changed-setting (%s)"),
	"only-when-saved":     withWord("it was written only in the runs marked saved (%s)"),
	"always-written":      always("it was also written in runs in which no setting was changed"),
}

// nearCue says how long after a cue, or before it where the time is negative.
func nearCue(f Facts) string {
	switch {
	case f.At == 0:
		return "it was written at the cue " + f.Word
	case f.At > 0:
		return fmt.Sprintf("it was written %s after the cue %s", clock(f.At), f.Word)
	}
	return fmt.Sprintf("it was written %s before the cue %s", clock(-f.At), f.Word)
}

// clock writes a time in the run.
func clock(d time.Duration) string {
	switch {
	case d < 10*time.Second:
		return fmt.Sprintf("%.1f s", d.Seconds())
	case d < 10*time.Minute:
		return fmt.Sprintf("%.0f s", d.Seconds())
	}
	return fmt.Sprintf("%.0f min", d.Minutes())
}

func times(n int) string {
	switch n {
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}
