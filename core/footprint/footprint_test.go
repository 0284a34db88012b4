package footprint

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// story writes a trace line by line, as a run would make it.
type story struct {
	t     testing.TB
	b     bytes.Buffer
	w     *trace.Writer
	files map[string]int
	ends  time.Duration
}

const (
	home = "/home/mira"
	data = home + "/.local/share/tidewrack/"
	conf = home + "/.config/tidewrack/"
)

// tell begins a run of a minute with one program.
func tell(t testing.TB) *story {
	t.Helper()
	s := &story{t: t, files: map[string]int{}, ends: time.Minute}
	var err error
	s.w, err = trace.NewWriter(&s.b, trace.Header{Title: "Tidewrack", OS: "linux", Runtime: "native", Observer: trace.ByCalls, User: "mira", Host: "heron", Install: "/opt/tidewrack", Env: map[string]string{"HOME": home}})
	require.NoError(t, err)
	require.NoError(t, s.w.Process(&trace.Process{PID: 10, Exe: "/opt/tidewrack/tidewrack"}))
	return s
}

func absent() trace.State { return trace.State{Is: trace.IsAbsent} }
func bytesOf(size int64) trace.State {
	return trace.State{Is: trace.IsFile, Size: size, Looks: "bytes"}
}
func looking(looks string) trace.State {
	return trace.State{Is: trace.IsFile, Size: 100, Looks: looks}
}

func (s *story) file(path string, before trace.State) *story {
	s.t.Helper()
	f := trace.File{Path: path, Before: before}
	require.NoError(s.t, s.w.File(&f))
	s.files[path] = f.N
	return s
}

// do adds an event at a second of the run.
func (s *story) do(second float64, op trace.Op, path string, to ...string) *story {
	s.t.Helper()
	e := trace.Event{At: time.Duration(second * float64(time.Second)), Process: 1, Op: op, File: s.files[path]}
	if len(to) > 0 {
		e.To = s.files[to[0]]
	}
	require.NotZero(s.t, e.File, path)
	require.NoError(s.t, s.w.Event(e))
	return s
}

func (s *story) grew(second float64, path string, size int64) *story {
	require.NoError(s.t, s.w.Event(trace.Event{At: time.Duration(second * float64(time.Second)), Op: trace.Changed, File: s.files[path], Size: size}))
	return s
}

func (s *story) cue(second float64, word string) *story {
	require.NoError(s.t, s.w.Cue(trace.Cue{At: time.Duration(second * float64(time.Second)), Word: word}))
	return s
}

func (s *story) after(path string, state trace.State) *story {
	require.NoError(s.t, s.w.After(trace.After{File: s.files[path], State: state}))
	return s
}

func (s *story) end() *Footprint {
	s.t.Helper()
	require.NoError(s.t, s.w.Exit(trace.Exit{Process: 1, At: s.ends}))
	_, err := s.w.Close(s.ends)
	require.NoError(s.t, err)
	r, err := trace.NewReader(bytes.NewReader(s.b.Bytes()), trace.DefaultLimits)
	require.NoError(s.t, err)
	fp, err := FromTrace(r)
	require.NoError(s.t, err)
	return fp
}

func (f *Footprint) find(t testing.TB, path string) File {
	t.Helper()
	for _, x := range f.Files {
		if x.Path == path {
			return x
		}
	}
	t.Fatalf("%s is not in the footprint", path)
	return File{}
}

// What a file is follows from what was done to it, where it lies and what it is.
func TestKinds(t *testing.T) {
	for name, c := range map[string]struct {
		path string
		tell func(s *story, path string)
		want Kind
		says string
	}{
		"a slot that was saved": {data + "slots/slot1.sav", func(s *story, p string) {
			s.file(p, bytesOf(500)).do(1, trace.Read, p).do(30, trace.Replace, p).cue(30.5, "saved").after(p, bytesOf(510))
		}, Save, "0.5 s before the cue saved"},
		"a save whose name says nothing": {data + "world.dat", func(s *story, p string) {
			s.file(p, bytesOf(500)).do(1, trace.Read, p).do(30, trace.Replace, p).cue(31, "saved").after(p, bytesOf(500))
		}, Save, "read at 1.0 s and written later"},
		"a save through a temporary name": {data + "world.dat", func(s *story, p string) {
			s.file(p, bytesOf(500)).file(p+".new", absent()).do(1, trace.Read, p).do(30, trace.Create, p+".new").do(30.1, trace.Rename, p+".new", p).cue(31, "saved").after(p, bytesOf(501)).after(p+".new", absent())
		}, Save, "temporary name world.dat.new and renamed"},
		"the temporary name itself": {data + "world.dat.new", func(s *story, p string) {
			to := data + "world.dat"
			s.file(to, bytesOf(500)).file(p, absent()).do(30, trace.Create, p).do(30.1, trace.Rename, p, to).after(to, bytesOf(501)).after(p, absent())
		}, Temp, "renamed to world.dat"},
		"the old save, moved aside": {data + "world.bak", func(s *story, p string) {
			to := data + "world.dat"
			s.file(to, bytesOf(500)).file(p, absent()).do(1, trace.Read, to).do(30, trace.Rename, to, p).do(30.1, trace.Create, to).cue(31, "saved").after(to, bytesOf(501)).after(p, bytesOf(500))
		}, Save, "it has the previous content of world.dat"},
		"two files swapped": {data + "world.dat", func(s *story, p string) {
			s.file(p, bytesOf(500)).file(p+".x", absent()).do(1, trace.Read, p).do(30, trace.Create, p+".x").do(30.1, trace.Exchange, p+".x", p).cue(31, "saved").after(p, bytesOf(501)).after(p+".x", bytesOf(500))
		}, Save, "before the cue saved"},
		"a profile written at the end": {data + "profile.bin", func(s *story, p string) {
			s.file(p, bytesOf(50)).do(0.5, trace.Read, p).do(59.9, trace.Replace, p).after(p, bytesOf(50))
		}, Save, "before the program ended"},
		"a score in the system's folder": {"/var/games/tidewrack.scores", func(s *story, p string) {
			s.file(p, bytesOf(80)).do(0.5, trace.Read, p).do(58, trace.Update, p).after(p, bytesOf(90))
		}, Save, "var-games"},
		"settings": {conf + "settings.ini", func(s *story, p string) {
			s.file(p, looking("text, settings by name")).do(0.1, trace.Read, p).do(20, trace.Replace, p).cue(20.3, "changed-setting").after(p, looking("text, settings by name"))
		}, Config, "before the cue changed-setting"},
		"settings beside saves": {data + "options.dat", func(s *story, p string) {
			s.file(p, looking("text, settings by name")).do(0.1, trace.Read, p).do(20, trace.Replace, p).cue(20.3, "changed-setting").cue(40, "saved").after(p, looking("text, settings by name"))
		}, Config, "its name contains \""},
		"a log that is opened each time": {data + "tidewrack.log", func(s *story, p string) {
			s.file(p, looking("text"))
			for i := range 40 {
				s.do(float64(i), trace.Append, p)
			}
			s.cue(30, "saved").after(p, looking("text"))
		}, Log, "appended to"},
		"a log that stays open, by any name": {data + "output.txt", func(s *story, p string) {
			s.file(p, absent()).do(0.2, trace.Create, p)
			for i := range 30 {
				s.grew(float64(i), p, int64(100*(i+1)))
			}
			s.after(p, looking("text"))
		}, Log, "it stayed open and kept growing ("},
		"a cache": {home + "/.cache/tidewrack/shaders.bin", func(s *story, p string) {
			s.file(p, absent()).do(1, trace.Create, p).after(p, bytesOf(9000))
		}, Cache, "XDG_CACHE_HOME"},
		"a shader cache among the saves": {data + "ShaderCache/a.bin", func(s *story, p string) {
			s.file(p, absent()).do(1, trace.Create, p).after(p, bytesOf(9000))
		}, Cache, "a folder called ShaderCache"},
		"a scratch file": {"/tmp/tw-123", func(s *story, p string) {
			s.file(p, absent()).do(1, trace.Create, p).grew(1.5, p, 4096).do(59, trace.Remove, p).after(p, absent())
		}, Temp, "removed again at 59 s"},
		"a lock": {data + "running.lock", func(s *story, p string) {
			s.file(p, absent()).do(1, trace.Create, p).grew(1.2, p, 0).do(59, trace.Remove, p).after(p, absent())
		}, Lock, "its name is one for locks"},
		"a pack file": {"/opt/tidewrack/data/world.pak", func(s *story, p string) {
			s.file(p, bytesOf(9e8))
			for i := range 50 {
				s.do(float64(i), trace.Read, p)
			}
		}, Asset, "came with the installation"},
		"an asset of a packaged game": {"/usr/share/games/tidewrack/map.dat", func(s *story, p string) {
			s.file(p, bytesOf(900)).do(1, trace.Read, p)
		}, Asset, "folder for installed programs"},
		"a library": {"/usr/lib/x86_64-linux-gnu/libc.so.6", func(s *story, p string) {
			s.file(p, bytesOf(900)).do(0.01, trace.Read, p)
		}, System, "belongs to the operating system"},
		"a desktop's own settings": {home + "/.config/pulse/cookie", func(s *story, p string) {
			s.file(p, bytesOf(256)).do(0.4, trace.Read, p)
		}, System, "belongs to the desktop"},
		"a picture": {data + "pictures/day-3.png", func(s *story, p string) {
			s.file(p, absent()).do(25, trace.Create, p).after(p, looking("PNG picture"))
		}, Capture, "PNG picture made in this run"},
		"a save beside the program": {"/opt/tidewrack/saves/a.dat", func(s *story, p string) {
			s.file(p, bytesOf(40)).do(1, trace.Read, p).do(30, trace.Replace, p).cue(30.2, "saved").after(p, bytesOf(44))
		}, Save, "a folder called saves"},
		"a score that it may not write": {"/var/games/tidewrack.scores", func(s *story, p string) {
			kept := trace.State{Is: trace.IsFile, Size: 80, Time: time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC), Digest: "aa"}
			s.file(p, kept).do(0.5, trace.Read, p).do(58, trace.Update, p).cue(58.2, "saved").after(p, kept)
		}, Unknown, "no observation points clearly to one kind"},
		"a save written with its old time": {data + "slots/slot1.sav", func(s *story, p string) {
			when := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
			s.file(p, trace.State{Is: trace.IsFile, Size: 80, Time: when, Digest: "aa"}).do(58, trace.Update, p).cue(58.2, "saved").after(p, trace.State{Is: trace.IsFile, Size: 80, Time: when, Digest: "bb"})
		}, Save, "before the cue saved"},
		"a driver's cache renamed into place near a cue": {home + "/.cache/mesa_shader_cache/ae/6f38", func(s *story, p string) {
			s.file(p, absent()).file(p+".tmp", absent()).do(30, trace.Create, p+".tmp").do(30.1, trace.Rename, p+".tmp", p).cue(31, "saved").after(p, bytesOf(3600)).after(p+".tmp", absent())
		}, System, "belongs to the desktop"},
		"a cache renamed into place near a cue": {home + "/.cache/tidewrack/ae/6f38", func(s *story, p string) {
			s.file(p, absent()).file(p+".tmp", absent()).do(30, trace.Create, p+".tmp").do(30.1, trace.Rename, p+".tmp", p).cue(31, "saved").after(p, bytesOf(3600)).after(p+".tmp", absent())
		}, Cache, "XDG_CACHE_HOME"},
		"nothing to go by": {home + "/.tidewrack", func(s *story, p string) {
			s.file(p, looking("text")).do(30, trace.Update, p).after(p, looking("text"))
		}, Unknown, "no observation points clearly to one kind"},
	} {
		t.Run(name, func(t *testing.T) {
			s := tell(t)
			c.tell(s, c.path)
			got := s.end().find(t, c.path)
			assert.Equal(t, c.want, got.Kind, "%v", got.Reasons)
			assert.Contains(t, strings.Join(got.Reasons, "\n"), c.says)
			assert.Greater(t, got.Confidence, 0.0)
			assert.Less(t, got.Confidence, 1.0, "nothing that was only seen is certain")
		})
	}
}

func TestAWriteCountsForTheCueThatFollowsIt(t *testing.T) {
	s := tell(t)
	early, saved, late := data+"a.dat", data+"b.dat", data+"c.dat"
	for _, p := range []string{early, saved, late} {
		s.file(p, bytesOf(1))
	}
	s.do(2, trace.Update, early).cue(3, "ready").do(10, trace.Update, saved).cue(10.4, "saved").cue(20, "changed-setting").do(59.8, trace.Update, late)
	fp := s.end()
	assert.Empty(t, fp.find(t, early).Near, "ready is no cue for writing")
	assert.Equal(t, []string{"saved"}, fp.find(t, saved).Near)
	assert.Empty(t, fp.find(t, late).Near, "it belongs to the end")

	s = tell(t)
	s.file(saved, bytesOf(1)).cue(10, "saved").do(10.6, trace.Update, saved)
	assert.Equal(t, []string{"saved"}, s.end().find(t, saved).Near, "the cue came a moment too early")
	s = tell(t)
	s.file(saved, bytesOf(1)).do(10, trace.Update, saved).cue(40, "saved")
	assert.Empty(t, s.end().find(t, saved).Near, "half a minute is too long")
}

func TestAFileHasThePlaceOfTheProcessThatUsedIt(t *testing.T) {
	var b bytes.Buffer
	w, err := trace.NewWriter(&b, trace.Header{Env: map[string]string{"HOME": home}})
	require.NoError(t, err)
	require.NoError(t, w.Process(&trace.Process{PID: 1, Exe: "/bin/sh"}))
	require.NoError(t, w.Process(&trace.Process{PID: 2, Parent: 1, Exe: "/opt/tw/tw", Env: map[string]string{"HOME": "/srv/box", "XDG_DATA_HOME": "/srv/box/d"}}))
	for n, path := range []string{home + "/.local/share/tw/a.sav", "/srv/box/d/tw/a.sav", "/elsewhere/a.sav"} {
		require.NoError(t, w.File(&trace.File{Path: path, Before: bytesOf(1)}))
		require.NoError(t, w.Event(trace.Event{Process: min(n+1, 2), Op: trace.Update, File: n + 1}))
	}
	_, err = w.Close(1)
	require.NoError(t, err)
	r, err := trace.NewReader(&b, trace.DefaultLimits)
	require.NoError(t, err)
	fp, err := FromTrace(r)
	require.NoError(t, err)
	assert.Equal(t, "xdg-data:tw/a.sav", fp.find(t, home+"/.local/share/tw/a.sav").Place)
	assert.Equal(t, "xdg-data:tw/a.sav", fp.find(t, "/srv/box/d/tw/a.sav").Place)
	assert.Empty(t, fp.find(t, "/elsewhere/a.sav").Place)
	assert.Equal(t, []string{"sh", "tw"}, fp.Programs)
}

func TestFilesOfInterestComeFirst(t *testing.T) {
	s := tell(t)
	slot, lib, folder, looked := data+"slots/slot1.sav", "/usr/lib/a.so", data+"slots", data+"not-there"
	s.file(lib, bytesOf(1)).file(folder, trace.State{Is: trace.IsFolder}).file(slot, bytesOf(1)).file(looked, absent())
	s.do(0, trace.Read, lib).do(1, trace.List, folder).do(1, trace.Missed, looked).do(30, trace.Update, slot).cue(30.1, "saved")
	fp := s.end()
	require.Len(t, fp.Files, 2, "folders and what was only looked for are no files")
	assert.Equal(t, slot, fp.Files[0].Path)
	assert.Equal(t, map[Kind]int{Save: 1, System: 1}, fp.Counts)
	assert.Equal(t, time.Minute, fp.Length)
}

func TestTruncatedTraceHasAFootprint(t *testing.T) {
	s := tell(t)
	p := data + "slots/slot1.sav"
	s.file(p, bytesOf(1)).do(30, trace.Update, p).cue(31, "saved")
	require.NoError(t, s.w.Flush())
	r, err := trace.NewReader(bytes.NewReader(s.b.Bytes()), trace.DefaultLimits)
	require.NoError(t, err)
	fp, err := FromTrace(r)
	require.NoError(t, err)
	assert.NotEmpty(t, fp.Cut)
	assert.Equal(t, Save, fp.find(t, p).Kind)
}

// What leaves the machine tells neither who made it nor what else is on it.
func TestShareHoldsNothingPrivate(t *testing.T) {
	s := tell(t)
	slot := data + "slots/slot1.sav"
	account := data + "76561198000000001/profile-mira.bin"
	diary := home + "/Documents/diary.txt"
	other := home + "/.local/share/saltglass/voyage.sav"
	for _, p := range []string{slot, account, diary, other} {
		s.file(p, trace.State{Is: trace.IsFile, Size: 9, Digest: "secret-digest", Looks: "bytes"})
	}
	s.do(1, trace.Read, diary).do(1, trace.Read, other)
	s.do(30, trace.Update, slot).do(30, trace.Update, account).cue(30.2, "mira saved on heron")
	require.NoError(t, s.w.Gap(trace.Gap{What: "/home/mira/bin/helper is a 32-bit program", N: 1}))
	fp := s.end()
	shared := fp.Share(fp.Anonymizer())
	raw, err := json.Marshal(shared)
	require.NoError(t, err)
	text := string(raw)
	for _, private := range []string{"mira", "heron", "76561198000000001", "diary", "saltglass", "secret-digest", home} {
		assert.NotContains(t, text, private)
	}
	places := []string{}
	for _, f := range shared.Files {
		places = append(places, f.Place)
	}
	assert.ElementsMatch(t, []string{"xdg-data:tidewrack/slots/slot1.sav", "xdg-data:tidewrack/{account}/profile-{user}.bin"}, places)
	assert.Equal(t, fp.Counts, shared.Counts, "what was left out is still counted")
	assert.NotEmpty(t, fp.find(t, slot).Path, "the original is untouched")
	assert.Contains(t, text, "{user} saved on {host}")
}

func TestATitleCalledLikeTheAccountStaysNamed(t *testing.T) {
	fp := &Footprint{Self: &Self{User: "tidewrack", Host: "heron", Home: "/home/tidewrack"}}
	assert.Equal(t, "xdg-data:tidewrack/{user}.sav", fp.HidePlace("xdg-data:tidewrack/tidewrack.sav"))
	assert.Equal(t, "xdg-data:tidewrack", fp.HidePlace("xdg-data:tidewrack"))
	assert.Equal(t, "install:{user}/a", fp.HidePlace("install:tidewrack/a"))
}
