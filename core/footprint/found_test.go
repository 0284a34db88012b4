package footprint

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"endroit/core/place"
	"endroit/core/trace"
)

func key(values int64) trace.State {
	return trace.State{Is: trace.IsKey, Size: values, Looks: "values: Wind"}
}

// A program's own keys are distinguished from Windows' and from those of a session.
func TestKeysOfTheRegistry(t *testing.T) {
	for at, c := range map[string]struct {
		kind Kind
		says string
	}{
		"registry:HKEY_CURRENT_USER/Software/Fen/":                              {Config, "a program's own"},
		"registry:HKEY_CURRENT_USER/Software/Reed and Co/Fen/Deep/":             {Config, "a program's own"},
		"registry:HKEY_LOCAL_MACHINE/Software/Wow6432Node/Fen/":                 {Config, "a program's own"},
		"registry:HKEY_CURRENT_USER/Software/Microsoft/Windows/CurrentVersion/": {System, "keys in HKEY_CURRENT_USER/Software/Microsoft belong to Windows"},
		"registry:HKEY_CURRENT_USER/Software/Wine/Drivers/":                     {System, "belong to Windows or to what runs it"},
		"registry:HKEY_CURRENT_USER/Control Panel/Desktop/":                     {System, "belong to Windows"},
		"registry:HKEY_LOCAL_MACHINE/System/CurrentControlSet/Services/Fen/":    {System, "belong to Windows"},
		"registry:HKEY_USERS/.Default/Software/Fen/":                            {System, "belong to Windows"},
		"registry:HKEY_CURRENT_USER/Volatile Environment/":                      {System, "for one session only"},
	} {
		fp := tell(t).file(at, key(1)).grew(30, at, 1).cue(31, "changed-setting").after(at, key(1)).end()
		f := fp.find(t, at)
		assert.Equal(t, c.kind, f.Kind, "%s: %v", at, f.Reasons)
		assert.Contains(t, f.Reasons[0]+" "+f.Reasons[min(1, len(f.Reasons)-1)], c.says, at)
		assert.Equal(t, at, f.Place)
		assert.Equal(t, 1, f.Writes)
		assert.Equal(t, 30*time.Second, f.LastWrite)
	}
	at := "registry:HKEY_CURRENT_USER/Software/Fen/"
	f := tell(t).file(at, key(1)).do(20, trace.Remove, at).after(at, absent()).end().find(t, at)
	assert.NotEqual(t, Config, f.Kind, "it is not there any more")
}

// What a service or another program wrote counts for less.
func TestWritesOfUnobservedProcesses(t *testing.T) {
	p := conf + "settings.ini"
	s := tell(t).file(p, bytesOf(10))
	if err := s.w.Event(trace.Event{At: 30 * time.Second, Op: trace.Changed, File: s.files[p], Size: 12, What: trace.Unobserved}); err != nil {
		t.Fatal(err)
	}
	f := s.after(p, bytesOf(12)).end().find(t, p)
	assert.Contains(t, f.Reasons, "it lies in the folder for settings (XDG_CONFIG_HOME)")
	assert.Contains(t, f.Reasons, "against it: "+trace.Unobserved+": another program may have, on the game's behalf")
	assert.Equal(t, Config, f.Kind)

	other := home + "/.config/pluck/settings.conf"
	s = tell(t).file(other, bytesOf(10))
	if err := s.w.Event(trace.Event{At: 30 * time.Second, Op: trace.Changed, File: s.files[other], Size: 12, What: trace.Unobserved}); err != nil {
		t.Fatal(err)
	}
	f = s.after(other, bytesOf(12)).end().find(t, other)
	assert.False(t, f.Kind.OfInterest(), f.Reasons)
}

// The positions of open descriptors tell a log that grows from a file that is
// written again and again.
func TestPositionsOfOpenFiles(t *testing.T) {
	at := func(s *story, second float64, path string, size int64, what string) {
		if err := s.w.Event(trace.Event{At: time.Duration(second * float64(time.Second)), Process: 1, Op: trace.Position, File: s.files[path], Size: size, What: what}); err != nil {
			t.Fatal(err)
		}
	}
	p := data + "run.out"
	s := tell(t).file(p, absent()).do(0.1, trace.Create, p)
	for i := range 5 {
		at(s, float64(2*i+1), p, int64(100*i+100), "appending")
	}
	f := s.after(p, looking("text")).end().find(t, p)
	assert.Equal(t, Log, f.Kind, f.Reasons)
	assert.Contains(t, f.Reasons, "it stayed open and grew (5 times)")
	assert.Equal(t, 9*time.Second, f.LastWrite)

	p = data + "world.dat"
	s = tell(t).file(p, bytesOf(500)).do(0.1, trace.Read, p).do(0.2, trace.Update, p)
	at(s, 20, p, 400, "")
	at(s, 40, p, 10, "back")
	f = s.after(p, bytesOf(500)).end().find(t, p)
	assert.Equal(t, Save, f.Kind, f.Reasons)
	assert.Contains(t, f.Reasons, "it stayed open and was rewritten from an earlier position (once)")
}

// A run on Windows comes to Windows' anchors, however a path is written.
func TestARunOnWindows(t *testing.T) {
	b := newBuilder(trace.Header{OS: "windows", Runtime: "native", User: "mira", Install: "D:/Games/Fen", Roots: map[string]string{
		"home": "C:/Users/mira", "roaming-app-data": "C:/Users/mira/AppData/Roaming", "local-app-data": "C:/Users/mira/AppData/Local", "documents": "E:/Docs", "prefix-drive": "C:/"}})
	b.line(trace.Line{Process: &trace.Process{N: 1, PID: 4, Exe: "D:/Games/Fen/fen.exe"}})
	for i, name := range []string{"c:/users/MIRA/appdata/roaming/Fen/slot1.sav", "E:/docs/Fen/settings.ini", "D:/Games/Fen/pack.dat", "C:/Windows/System32/kernel32.dll", "C:/Users/mira/AppData/Local/Temp/x1.tmp", "C:/Users/mira/AppData/Local/Microsoft/Windows/a.dat"} {
		b.line(trace.Line{File: &trace.File{N: i + 1, Path: name, Before: bytesOf(5)}})
		op := trace.Replace
		if i == 2 || i == 3 {
			op = trace.Read
		}
		b.line(trace.Line{Event: &trace.Event{At: time.Second, Process: 1, Op: op, File: i + 1}})
	}
	fp := b.finish()
	want := map[string]Kind{"roaming-app-data:Fen/slot1.sav": Save, "documents:Fen/settings.ini": Config, "install:pack.dat": Asset, "prefix-drive:Windows/System32/kernel32.dll": System, "local-app-data:Temp/x1.tmp": Temp, "local-app-data:Microsoft/Windows/a.dat": System}
	got := map[string]Kind{}
	for _, f := range fp.Files {
		got[f.Place] = f.Kind
	}
	assert.Equal(t, want, got)
	assert.Equal(t, "C:/Users/mira", fp.Self.Home)
}

func TestDistinctiveNames(t *testing.T) {
	assert.Equal(t, 3, TitleDepth(place.Registry))
	assert.Equal(t, 1, TitleDepth(place.XDGData))
	assert.Equal(t, 0, TitleDepth(place.Install))
	assert.Equal(t, "registry:HKEY_CURRENT_USER/Software/Fen", topOf("registry:HKEY_CURRENT_USER/Software/Fen/Keys/"))
	assert.Equal(t, "xdg-data:fen", topOf("xdg-data:fen/a/b.sav"))
	f := &Footprint{Self: &Self{User: "fen"}}
	assert.Equal(t, "registry:HKEY_CURRENT_USER/Software/fen/{user}/", f.HidePlace("registry:HKEY_CURRENT_USER/Software/fen/fen/"))
}

// A file that is written when a setting is changed and at no other time holds settings,
// whatever it is called; one that is written all the time does not for that.
func TestWrittenWhenASettingIsChangedAlone(t *testing.T) {
	p := data + "user.bin"
	f := tell(t).file(p, bytesOf(64)).do(1, trace.Read, p).cue(20, "saved").do(40, trace.Replace, p).cue(41, "changed-setting").after(p, bytesOf(64)).end().find(t, p)
	assert.Equal(t, Config, f.Kind, f.Reasons)
	assert.Contains(t, f.Reasons, "it was written only then")
	f = tell(t).file(p, bytesOf(64)).do(1, trace.Read, p).do(10, trace.Replace, p).cue(12, "saved").do(40, trace.Replace, p).cue(41, "changed-setting").after(p, bytesOf(64)).end().find(t, p)
	assert.Equal(t, Save, f.Kind, f.Reasons)
	assert.NotContains(t, f.Reasons, "it was written only then")
	cached := home + "/.cache/tidewrack/shot.png"
	f = tell(t).file(cached, absent()).do(5, trace.Create, cached).after(cached, looking("PNG picture")).end().find(t, cached)
	assert.Equal(t, Cache, f.Kind, "a picture in the cache is none that a person took")
}
