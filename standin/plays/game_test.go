package plays

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"endroit/core/content"
	"endroit/core/footprint"
	"endroit/core/trace"
)

// Game is a stand-in game that is being played, and an observer that writes along.
type Game struct {
	w     *trace.Writer
	out   bytes.Buffer
	files map[string]*file
	order []*file
	now   time.Duration
	err   error
	disk  *disk // where it is played on real files
}

type file struct {
	n       int
	path    string
	there   bool
	data    []byte
	changed time.Duration // when
	touched bool
	key     bool
}

const (
	home   = "/home/mira"
	prefix = home + "/.local/share/quayside/prefixes/505310"
	drive  = prefix + "/drive_c"
	user   = drive + "/users/player"
)

// ways are short forms of folders.
var ways = map[string]string{
	"data": home + "/.local/share", "config": home + "/.config", "state": home + "/.local/state", "cache": home + "/.cache", "home": home, "tmp": "/tmp",
	"inst": home + "/games/tw", "sys": "", "acc": home + "/.local/share/quayside/accounts/90210017",
	"roaming": user + "/AppData/Roaming", "local": user + "/AppData/Local", "low": user + "/AppData/LocalLow", "docs": user + "/Documents", "saved": user + "/Saved Games", "win": drive + "/windows", "pinst": drive + "/Games/Fen",
}

// path makes a path of a short form: data:tw/slot1.sav. Keys of the registry stay.
func path(short string) string {
	if strings.HasPrefix(short, "registry:") {
		return short
	}
	way, rest, _ := strings.Cut(short, ":")
	return ways[way] + "/" + rest
}

func (g *Game) fail(err error) {
	if g.err == nil && err != nil {
		g.err = err
	}
}

func (g *Game) file(short string) *file {
	name := path(short)
	f := g.files[name]
	if f == nil {
		f = &file{path: name, key: strings.HasPrefix(name, "registry:")}
		g.files[name] = f
	}
	if f.n == 0 {
		line := trace.File{Path: name, Before: f.state()}
		g.fail(g.w.File(&line))
		f.n = line.N
		g.order = append(g.order, f)
	}
	return f
}

var started = time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC)

func (f *file) state() trace.State {
	if !f.there {
		return trace.State{Is: trace.IsAbsent}
	}
	sum := sha256.Sum256(f.data)
	s := trace.State{Is: trace.IsFile, Size: int64(len(f.data)), Time: started.Add(f.changed), Digest: hex.EncodeToString(sum[:]), Looks: content.Looks(f.data[:min(len(f.data), content.HeadSize)])}
	if f.key {
		s.Is, s.Size, s.Looks = trace.IsKey, int64(bytes.Count(f.data, []byte("="))), "values: some"
	}
	return s
}

func (g *Game) event(op trace.Op, f *file, more ...func(*trace.Event)) {
	e := trace.Event{At: g.now, Process: 1, Op: op, File: f.n}
	for _, m := range more {
		m(&e)
	}
	g.fail(g.w.Event(e))
	g.now += 3 * time.Millisecond
}

// Has puts a file there before the run.
func (g *Game) Has(short string, data []byte) {
	if g.disk != nil {
		g.fail(g.disk.has(short, data))
		return
	}
	f := &file{path: path(short), there: true, data: data, changed: -time.Hour, key: strings.HasPrefix(short, "registry:")}
	g.files[f.path] = f
}

// At goes on to a second of the run.
func (g *Game) At(second float64) {
	if g.disk != nil {
		g.disk.wait(second)
		return
	}
	g.now = max(g.now, time.Duration(second*float64(time.Second)))
}

// Cue marks a moment.
func (g *Game) Cue(word string) {
	if g.disk != nil {
		g.fail(g.disk.cue(word))
		return
	}
	g.fail(g.w.Cue(trace.Cue{At: g.now, Word: word}))
}

// Read opens files for reading, as often as the play says.
func (g *Game) Read(names ...string) {
	for _, n := range names {
		if g.disk != nil {
			g.disk.read(n)
			continue
		}
		f := g.file(n)
		if f.there {
			g.event(trace.Read, f)
		} else {
			g.event(trace.Missed, f)
		}
	}
}

func (g *Game) put(f *file, data []byte) {
	f.there, f.data, f.changed, f.touched = true, data, g.now, true
}

// Write makes a file again, or empties it first.
func (g *Game) Write(short string, data []byte) {
	if g.disk != nil {
		g.fail(g.disk.write(short, os.O_TRUNC, data))
		return
	}
	f := g.file(short)
	op := trace.Replace
	if !f.there {
		op = trace.Create
	}
	g.event(op, f)
	g.put(f, data)
}

// Update writes within a file.
func (g *Game) Update(short string, data []byte) {
	if g.disk != nil {
		g.fail(g.disk.write(short, 0, data))
		return
	}
	f := g.file(short)
	op := trace.Update
	if !f.there {
		op = trace.Create
	}
	g.event(op, f)
	g.put(f, data)
}

// Append adds to a file.
func (g *Game) Append(short, text string) {
	if g.disk != nil {
		g.fail(g.disk.write(short, os.O_APPEND, []byte(text)))
		return
	}
	f := g.file(short)
	op := trace.Append
	if !f.there {
		op = trace.Create
	}
	g.event(op, f)
	g.put(f, append(slices.Clone(f.data), text...))
}

// Grow adds to a file that stays open, so that only its growth is seen.
func (g *Game) Grow(short, text string) {
	if g.disk != nil {
		g.fail(g.disk.grow(short, text))
		return
	}
	f := g.file(short)
	g.put(f, append(slices.Clone(f.data), text...))
	size := int64(len(f.data))
	g.event(trace.Position, f, func(e *trace.Event) { e.Size, e.What = size, "appending" })
	g.event(trace.Changed, f, func(e *trace.Event) { e.Process, e.Size = 0, size })
}

// Set changes a key of the registry, as the prefix's server writes it down.
func (g *Game) Set(key, text string) {
	if g.disk != nil {
		g.fail(g.disk.set(key, text))
		return
	}
	f := g.file(key)
	op := trace.Changed
	if !f.there {
		op = trace.Create
	}
	g.put(f, []byte(text))
	g.event(op, f, func(e *trace.Event) { e.Process, e.Size, e.What = 0, 1, "set some" })
}

// Through writes a file under a temporary name and renames it.
func (g *Game) Through(short, temporary string, data []byte) {
	g.Write(temporary, data)
	g.Rename(temporary, short)
}

// Rename gives a file another name.
func (g *Game) Rename(from, to string) {
	if g.disk != nil {
		g.fail(g.disk.rename(from, to))
		return
	}
	f, t := g.file(from), g.file(to)
	g.event(trace.Rename, f, func(e *trace.Event) { e.To = t.n })
	g.put(t, f.data)
	f.there, f.touched = false, true
}

// Remove removes files.
func (g *Game) Remove(names ...string) {
	for _, n := range names {
		if g.disk != nil {
			g.fail(g.disk.remove(n))
			continue
		}
		f := g.file(n)
		g.event(trace.Remove, f)
		f.there, f.touched = false, true
	}
}

// footprint plays and boils the trace down.
func (p Play) Footprint() (*footprint.Footprint, error) {
	g := &Game{files: map[string]*file{}}
	h := trace.Header{Title: p.Title, OS: "linux", Runtime: "native", Observer: trace.ByCalls, Started: started, User: "mira", Host: "heron", Install: ways["inst"],
		Account: &trace.Account{ID: "90210017", Folder: ways["acc"]}, Env: map[string]string{"HOME": home}}
	if h.Title == "" {
		h.Title = "Tidewrack"
	}
	if p.Ref != "" {
		h.Edition = &trace.Edition{Store: "quayside", Ref: p.Ref}
	}
	exe := ways["inst"] + "/tidewrack"
	if p.Windows {
		h.Runtime, h.Install, exe = "prefix", ways["pinst"], ways["pinst"]+"/fen.exe"
		h.Prefix = &trace.Prefix{Folder: prefix, User: "player", Drives: map[string]string{"c:": drive},
			Roots: map[string]string{"home": user, "roaming-app-data": ways["roaming"], "local-app-data": ways["local"], "local-low-app-data": ways["low"], "documents": ways["docs"], "saved-games": ways["saved"], "prefix-drive": drive, "program-data": drive + "/ProgramData"}}
	}
	p.sign(&h)
	var err error
	if g.w, err = trace.NewWriter(&g.out, h); err != nil {
		return nil, err
	}
	g.fail(g.w.Process(&trace.Process{PID: 4711, Exe: exe}))
	g.noise(p.Windows)
	p.Play(g)
	g.now += 200 * time.Millisecond
	g.fail(g.w.Exit(trace.Exit{Process: 1, At: g.now}))
	for _, f := range g.order {
		if f.touched || strings.HasPrefix(f.path, home) {
			g.fail(g.w.After(trace.After{File: f.n, State: f.state()}))
		}
	}
	_, err = g.w.Close(g.now)
	g.fail(err)
	if g.err != nil {
		return nil, fmt.Errorf("play %s: %w", p.Name, g.err)
	}
	r, err := trace.NewReader(&g.out, trace.DefaultLimits)
	if err != nil {
		return nil, err
	}
	return footprint.FromTrace(r)
}

// noise is what every run brings along.
func (g *Game) noise(windows bool) {
	for i := range 40 {
		name := fmt.Sprintf("sys:usr/lib/x86_64-linux-gnu/lib%d.so", i)
		g.Has(name, []byte("\x7fELF"))
		g.Read(name)
	}
	g.Has("sys:etc/ld.so.cache", Bytes(900))
	g.Has("home:.Xauthority", Bytes(100))
	g.Has("cache:fontconfig/a1.cache", Bytes(900))
	g.Read("sys:etc/ld.so.cache", "home:.Xauthority", "cache:fontconfig/a1.cache")
	g.Write("cache:mesa_shader_cache/ab/cdef", Bytes(4000))
	inst := "inst:"
	if windows {
		inst = "pinst:"
		g.Has("win:system32/kernel32.dll", []byte("MZ"))
		g.Read("win:system32/kernel32.dll")
		g.Set("registry:HKEY_CURRENT_USER/Software/Wine/Drivers/", "Audio=alsa")
		g.Set("registry:HKEY_LOCAL_MACHINE/System/CurrentControlSet/Control/Video/", "x=1")
		g.Write("local:Temp/wine1.tmp", Bytes(10))
		g.Remove("local:Temp/wine1.tmp")
	}
	for i := range 12 {
		name := fmt.Sprintf("%sdata/pack%d.dat", inst, i)
		g.Has(name, Bytes(5000))
		g.Read(name)
	}
}

// Bytes are bytes that are no text, and differ from call to call.
func Bytes(n int) []byte {
	count++
	b := make([]byte, n)
	x := uint32(count)*2654435761 + 1
	for i := range b {
		x ^= x << 13
		x ^= x >> 17
		x ^= x << 5
		b[i] = byte(x)
	}
	if n > 0 {
		b[0] = 0x00
	}
	return b
}

var count int

// Settings are names with values.
func Settings(volume int) []byte {
	return fmt.Appendf(nil, "[audio]\nvolume=%d\nmusic=on\n[video]\nwidth=1280\nheight=800\n", volume)
}

// JSON is an object.
func JSON(n int) []byte { return fmt.Appendf(nil, `{"day": %d, "name": "Sedge"}`, n) }
