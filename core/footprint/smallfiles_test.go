package footprint

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"endroit/core/trace"
)

// Small files of which little but the name tells what they are.
func TestNamesThatHoldAnothersName(t *testing.T) {
	// written once as the program ends, and read at the next start
	replaced := func(name string, state trace.State) (Kind, []string) {
		s := tell(t).file("/usr/share/games/tidewrack/last", looking("text"))
		s.file("/home/mira/"+name, state).
			do(1, trace.Read, "/home/mira/"+name).do(30, trace.Create, "/home/mira/"+name).after("/home/mira/"+name, state)
		f := s.do(60, trace.Read, "/usr/share/games/tidewrack/last").end().Files
		for _, x := range f {
			if x.Path == "/home/mira/"+name {
				return x.Kind, x.Reasons
			}
		}
		return "", nil
	}
	for name, want := range map[string]Kind{
		".greedscores": Save, ".tw/mbscore": Save, ".tw/highlevelshistory": Save, ".tw/underway": Save, // by what was done to it, not by its name
		".tw/rc": Config, ".tidewrackrc.xml": Config, ".tidewrackrc": Config,
	} {
		kind, why := replaced(name, looking("text"))
		assert.Equal(t, want, kind, "%s: %v", name, why)
	}
}

func TestAFileThatTheProgramReadsBackIsHardlyALog(t *testing.T) {
	grown := func(name string, read bool) Kind {
		s := tell(t).file("/usr/share/games/tidewrack/last", looking("text"))
		path := data + name
		s.file(path, looking("text"))
		if read {
			s.do(0.5, trace.Read, path)
		}
		s.do(20, trace.Append, path).grew(20.1, path, 130).after(path, looking("text"))
		for _, x := range s.do(60, trace.Read, "/usr/share/games/tidewrack/last").end().Files {
			if x.Path == path {
				return x.Kind
			}
		}
		return ""
	}
	assert.Equal(t, Log, grown("told", false))
	assert.NotEqual(t, Log, grown("told", true))
	assert.Equal(t, Log, grown("told.log", true), "it is called one")
}

func TestSmallPicturesOfLevelsAreNoCaptures(t *testing.T) {
	picture := func(folder string) Kind {
		s := tell(t).file("/usr/share/games/tidewrack/last", looking("text"))
		path := data + folder + "/level1.png"
		s.file(path, absent()).do(5, trace.Create, path).after(path, looking("PNG picture"))
		for _, x := range s.do(60, trace.Read, "/usr/share/games/tidewrack/last").end().Files {
			if x.Path == path {
				return x.Kind
			}
		}
		return ""
	}
	assert.Equal(t, Cache, picture("thumbs-120x78/tutorial"))
	assert.Equal(t, Cache, picture("previews"))
	assert.Equal(t, Capture, picture("pictures"))
	assert.Equal(t, Capture, picture("thumbling"), "a name that only begins so")
}

// What lies beside saves and is none.
func TestWhatLiesBesideSaves(t *testing.T) {
	for name, want := range map[string]Kind{
		"crash-4821.dmp": Log, "crash_report_4821.txt": Log, "hs_err.txt": Save /* err is no word for crashes */, "run.log.1": Log,
		"scripts/main.luac": Cache, "fontcache.bin": Cache, "lib/site-packages/pip/a.txt": Asset,
		"crash_team.sav": Save, "cachet.sav": Save,
	} {
		s := tell(t).file("/usr/share/games/tidewrack/last", looking("text")).file(data+name, absent())
		s.do(20, trace.Create, data+name).after(data+name, bytesOf(900))
		for _, x := range s.do(60, trace.Read, "/usr/share/games/tidewrack/last").end().Files {
			if x.Path == data+name {
				assert.Equal(t, want, x.Kind, "%s: %v", name, x.Reasons)
			}
		}
	}
}

func TestWordsOfSettingsAndProgress(t *testing.T) {
	for name, want := range map[string]Kind{
		"keys.txt": Config, "macros": Config, "bindings.dat": Config, "window-state": Config,
		"hall-of-fame": Save, "best": Save, "tw.hscr": Save, "state": Save, "monkeys": Save,
	} {
		path := "/home/mira/.tidewrack/" + name
		s := tell(t).file("/usr/share/games/tidewrack/last", looking("text")).file(path, looking("text"))
		s.do(0.5, trace.Read, path).do(30, trace.Create, path).after(path, looking("text"))
		for _, x := range s.do(60, trace.Read, "/usr/share/games/tidewrack/last").end().Files {
			if x.Path == path {
				assert.Equal(t, want, x.Kind, "%s: %v", name, x.Reasons)
			}
		}
	}
}
