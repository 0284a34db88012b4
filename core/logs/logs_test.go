package logs

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"endroit/core/footprint"
	"endroit/core/trace"
)

// imported is what a log came to.
type imported struct {
	plan    *Plan
	summary Summary
	header  trace.Header
	events  []string // "1.5s p1 create C:/x"
	files   map[string]trace.File
	after   map[string]trace.State
	procs   []trace.Process
	gaps    []string
	fp      *footprint.Footprint
}

func read(t *testing.T, log string, o Options) imported {
	t.Helper()
	plan, err := Inspect(strings.NewReader(log), o)
	require.NoError(t, err)
	var out bytes.Buffer
	m := imported{plan: plan, files: map[string]trace.File{}, after: map[string]trace.State{}}
	m.summary, err = plan.Write(strings.NewReader(log), &out)
	require.NoError(t, err)
	r, err := trace.NewReader(bytes.NewReader(out.Bytes()), trace.DefaultLimits)
	require.NoError(t, err)
	m.header = r.Header
	names := map[int]string{}
	for line, err := range r.Lines() {
		require.NoError(t, err)
		switch {
		case line.File != nil:
			names[line.File.N] = line.File.Path
			m.files[line.File.Path] = *line.File
		case line.Event != nil:
			e := *line.Event
			text := fmt.Sprintf("%v p%d %s %s", e.At, e.Process, e.Op, names[e.File])
			if e.To != 0 {
				text += " -> " + names[e.To]
			}
			if e.What != "" {
				text += " (" + e.What + ")"
			}
			m.events = append(m.events, text)
		case line.After != nil:
			m.after[names[line.After.File]] = line.After.State
		case line.Process != nil:
			m.procs = append(m.procs, *line.Process)
		case line.Gap != nil:
			m.gaps = append(m.gaps, line.Gap.What)
		}
	}
	assert.Empty(t, r.Cut())
	r, err = trace.NewReader(bytes.NewReader(out.Bytes()), trace.DefaultLimits)
	require.NoError(t, err)
	m.fp, err = footprint.FromTrace(r)
	require.NoError(t, err)
	return m
}

const windowsLog = `clock;program;pid;action;file;outcome;remarks
15:04:05.500;fen.exe;412;open;C:\Users\Mira\AppData\Roaming\Fen\slot1.sav;not found;GENERIC_READ
15:04:06.000;fen.exe;412;open;D:\Games\Fen\pack.dat;ok;GENERIC_READ
15:04:06.100;fen.exe;412;ReadFile;D:\Games\Fen\pack.dat;ok;
15:04:07.000;fen.exe;412;WriteFile;C:\Users\Mira\AppData\Roaming\Fen\slot1.new;ok;4 bytes at 0
15:04:07.200;fen.exe;412;WriteFile;C:\Users\Mira\AppData\Roaming\Fen\slot1.new;ok;4 bytes at 4
15:04:07.300;fen.exe;412;MoveFileEx;C:\Users\Mira\AppData\Roaming\Fen\slot1.new;ok;to: C:\Users\Mira\AppData\Roaming\Fen\slot1.sav
15:04:07.400;fen.exe;412;RegSetValueEx;HKCU\Software\Fen\Volume;ok;a number
15:04:07.500;fen.exe;412;RegQueryValueEx;HKCU\Software\Fen\Volume;ok;
15:04:07.600;fen.exe;412;CloseHandle;C:\Users\Mira\AppData\Roaming\Fen\slot1.sav;ok;
15:04:07.700;other.exe;9;WriteFile;C:\Users\Mira\AppData\Local\Other\x.log;ok;
15:04:07.800;fen.exe;412;CreateFileW;C:\Users\Mira\secret;denied;
15:04:07.900;fen.exe;412;Juggle;C:\x;ok;
15:04:08.000;fen.exe;412;WriteFile;slot1.sav;ok;
what;fen.exe;412;WriteFile;C:\x;ok;
`

// A log of Windows comes to Windows' locations.
func TestALogOfWindows(t *testing.T) {
	m := read(t, windowsLog, Options{Header: trace.Header{Title: "Copperfen", Install: "D:/Games/Fen"}, Date: time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)})
	assert.Equal(t, map[Column]string{When: "clock", Program: "program", Number: "pid", Action: "action", File: "file", Outcome: "outcome", More: "remarks"}, m.plan.Columns)
	assert.Equal(t, "delimited by semicolons", m.plan.Form)
	assert.Equal(t, "windows", m.header.OS)
	assert.Equal(t, "Mira", m.header.User)
	assert.Equal(t, "C:/Users/Mira/AppData/Roaming", m.header.Roots["roaming-app-data"])
	assert.Equal(t, time.Date(2026, 11, 20, 15, 4, 5, 500_000_000, time.UTC), m.header.Started)
	assert.Equal(t, trace.ByLog, m.header.Observer)
	dir := "C:/Users/Mira/AppData/Roaming/Fen/"
	assert.Equal(t, []string{
		"0s p1 missed " + dir + "slot1.sav",
		"500ms p1 read D:/Games/Fen/pack.dat",
		"600ms p1 read D:/Games/Fen/pack.dat",
		"1.5s p1 update " + dir + "slot1.new",
		"1.8s p1 rename " + dir + "slot1.new -> " + dir + "slot1.sav",
		"1.9s p1 changed registry:HKEY_CURRENT_USER/Software/Fen/ (set Volume)",
		"2.2s p2 update C:/Users/Mira/AppData/Local/Other/x.log",
	}, m.events, "writes of one program to one file within a second are one")
	assert.Equal(t, trace.IsAbsent, m.files[dir+"slot1.sav"].Before.Is)
	assert.Equal(t, trace.IsAbsent, m.after[dir+"slot1.new"].Is)
	assert.Equal(t, trace.IsFile, m.after[dir+"slot1.sav"].Is)
	assert.Equal(t, trace.IsKey, m.after["registry:HKEY_CURRENT_USER/Software/Fen/"].Is)
	require.Len(t, m.procs, 2)
	assert.Equal(t, trace.Process{N: 1, PID: 412, Exe: "fen.exe"}, trace.Process{N: m.procs[0].N, PID: m.procs[0].PID, Exe: m.procs[0].Exe})
	s := m.summary
	assert.Equal(t, []int{14, 8, 2, 1}, []int{s.Lines, s.Used, s.Ignored, s.Failed})
	var why []string
	for _, u := range s.Unusable {
		why = append(why, fmt.Sprintf("%s %d %d", u.Why, u.Lines, u.Examples[0].Line))
	}
	assert.ElementsMatch(t, []string{"unknown operation 1 13", "its path is not absolute 1 14", "the time is in an unknown form 1 15"}, why)
	assert.Equal(t, map[string]int{"Juggle": 1}, s.Unknown)
	assert.Contains(t, m.gaps[0], "sizes and contents are not known")

	found := map[string]footprint.Kind{}
	for _, f := range m.fp.Files {
		found[f.Place] = f.Kind
	}
	assert.Equal(t, footprint.Save, found["roaming-app-data:Fen/slot1.sav"])
	assert.Equal(t, footprint.Config, found["registry:HKEY_CURRENT_USER/Software/Fen/"])
	assert.Equal(t, footprint.Asset, found["install:pack.dat"])
	assert.Equal(t, footprint.Log, found["local-app-data:Other/x.log"])

	m = read(t, windowsLog, Options{Only: "FEN.exe"})
	assert.Equal(t, 1, m.summary.Others)
	assert.Len(t, m.procs, 1)
	m = read(t, windowsLog, Options{Operations: map[string]trace.Op{"juggle": trace.Replace, "WriteFile": Ignore}})
	assert.Empty(t, m.summary.Unknown)
	assert.Contains(t, m.events, "2.4s p1 replace C:/x")
	assert.Equal(t, 7, m.summary.Ignored)
}

// JSON lines, of Linux, with columns that are given.
func TestJSONLines(t *testing.T) {
	log := `{"ts": 1763990000.5, "proc": {"name": "/usr/games/fen", "pid": 7}, "syscall": "openat", "args": ["O_WRONLY|O_CREAT|O_TRUNC"], "f": "/home/tobin/.local/share/fen/a.sav", "ret": 3}
{"ts": 1763990001.25, "proc": {"name": "/usr/games/fen", "pid": 7}, "syscall": "openat", "args": ["O_RDONLY"], "f": "/home/tobin/.config/fen.ini", "ret": -2}
not json
{"ts": 1763990002, "proc": {"name": "/usr/games/fen", "pid": 7}, "syscall": "rename", "f": "/home/tobin/a", "newpath": "/home/tobin/b", "ret": 0}
{"ts": 1763990003, "proc": {"name": "/usr/games/fen", "pid": 7}, "syscall": "rename", "f": "/home/tobin/a", "ret": 0}
[1]
`
	m := read(t, log, Options{Columns: map[Column]string{File: "f", Program: "proc.name", Number: "proc.pid"}})
	assert.Equal(t, "JSON lines", m.plan.Form)
	assert.Equal(t, "linux", m.header.OS)
	assert.Equal(t, "/home/tobin", m.header.Env["HOME"])
	assert.Equal(t, []string{"0s p1 replace /home/tobin/.local/share/fen/a.sav", "1.5s p1 rename /home/tobin/a -> /home/tobin/b"}, m.events)
	assert.Equal(t, 1, m.summary.Failed)
	var why []string
	for _, u := range m.summary.Unusable {
		why = append(why, fmt.Sprintf("%s %d", u.Why, u.Lines))
	}
	assert.ElementsMatch(t, []string{"it is damaged 2", "the second path is missing 1"}, why)
}

// Encodings, delimiters and clocks of other machines.
func TestFormsOfLogs(t *testing.T) {
	table := "when;op;file;process\n23:59:59,5;write;C:\\Users\\Zoë\\a.sav;f.exe\n00:00:01,0;write;C:\\Users\\Zoë\\b.sav;f.exe\n"
	events := []string{"0s p1 update C:/Users/Zoë/a.sav", "1.5s p1 update C:/Users/Zoë/b.sav"}
	for name, e := range map[string]encoding.Encoding{
		"UTF-8":                        encoding.Nop,
		"UTF-8 with a byte-order mark": unicode.UTF8BOM,
		"UTF-16, little-endian":        unicode.UTF16(unicode.LittleEndian, unicode.UseBOM),
		"UTF-16, big-endian":           unicode.UTF16(unicode.BigEndian, unicode.UseBOM),
		"UTF-16, little-endian ":       unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM),
		"UTF-16, big-endian without":   unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM),
		"Windows-1252":                 charmap.Windows1252,
	} {
		text, err := e.NewEncoder().String(table)
		require.NoError(t, err)
		m := read(t, text, Options{})
		assert.True(t, strings.HasPrefix(name, m.plan.Encoding), "%s: %s", name, m.plan.Encoding)
		assert.Equal(t, "delimited by semicolons", m.plan.Form)
		assert.Equal(t, events, m.events, name)
		assert.Equal(t, "Zoë", m.header.User)
	}
	for log, want := range map[string]string{
		"time\top\tpath\n0.25\twrite\t/a/b\n1.5\tread\t/a/c\n":                                                   "1.25s p0 read /a/c",
		"\r\n\ntime|op|path\n1763990000123|write|/a/b\n1763990001123|read|/a/c\n":                                "1s p0 read /a/c",
		"time,op,path\n2026-11-20T10:00:00Z,write,/a/b\n2026-11-20T10:00:02.5+00:00,read,\"/a/c,d\"\n":           "2.5s p0 read /a/c,d",
		"op,path\nwrite,/a/b\nread,/a/c\n":                                                                       "0s p0 read /a/c",
		"time,op,path,newname\n20.11.2026 10:00:00,move,/a/b,/a/c\n20.11.2026 10:00:01,deleted,/a/c/../c,\n":     "1s p0 remove /a/c",
		"time,op,path,detail\n1,open,/a/b,\n2,open,/a/c,mode=w\n":                                                "1s p0 update /a/c",
		"time,op,path,detail\n1,open,/a/b,\n2,open,/a/c,O_WRONLY|O_APPEND\n":                                     "1s p0 update /a/c",
		"time,op,path,detail\n1,open,/a/b,\n2,open,/a/c,O_RDONLY|O_DIRECTORY\n":                                  "1s p0 list /a/c",
		"time,op,path,detail\n1,open,/a/b,\n2,open,/a/c,\"O_RDWR|O_CREAT|O_EXCL, 0600\"\n":                       "1s p0 create /a/c",
		"time,op,path\n1,write,\\\\server\\share\\x.sav\n2,write,C:\\a\\..\\b\n3,RegDeleteKey,HKLM\\Software\\F": "2s p0 remove registry:HKEY_LOCAL_MACHINE/Software/F/",
	} {
		m := read(t, log, Options{})
		assert.Equal(t, want, m.events[len(m.events)-1], log)
	}
}

func TestInvalidLogs(t *testing.T) {
	for log, says := range map[string]string{
		"":                               "it is empty",
		"\n\r\n":                         "it is empty",
		"a line of prose\nand another\n": "neither a table heading",
		"a,b,c\n1,2,3\n":                 "no column is known for action; the columns are: a, b, c; say which with --columns action=HEADING",
		"op,b,c\n1,2,3\n":                "no column is known for file",
		`{"op": "write"}`:                "no column is known for file",
		"op,path\x00\x01,x\n":            "not text",
		"op,path\n\"" + strings.Repeat("x", 2<<20): "longer than",
		`{"op":"` + strings.Repeat("x", 2<<20):     "longer than",
	} {
		plan, err := Inspect(strings.NewReader(log), Options{})
		if err == nil {
			_, err = plan.Write(strings.NewReader(log), &bytes.Buffer{})
		}
		assert.ErrorIs(t, err, ErrFormat, "%.40q", log)
		assert.ErrorContains(t, err, says, "%.40q", log)
	}
	_, err := Inspect(strings.NewReader("op,path\n"), Options{Columns: map[Column]string{When: "o'clock"}})
	assert.ErrorContains(t, err, `there is no column "o'clock" for when; there are: op, path`)
}

// Whatever the log, the trace that comes of it can be read.
func FuzzLog(f *testing.F) {
	f.Add([]byte(windowsLog))
	f.Add([]byte("time;op;path\n1;rename;/a;\n"))
	f.Add([]byte(`{"op":"write","path":"C:\\x","time":"12:00:00"}`))
	f.Add([]byte("\xff\xfeo\x00p\x00,\x00p\x00a\x00t\x00h\x00\n\x00"))
	f.Add([]byte("op,path\nregsetvalue,HKCU\\a%b\\c\nregsetvalue,HKCU\\\\\nwrite,//a\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		plan, err := Inspect(bytes.NewReader(data), Options{})
		if err != nil {
			assert.ErrorIs(t, err, ErrFormat)
			return
		}
		var out bytes.Buffer
		s, err := plan.Write(bytes.NewReader(data), &out)
		if err != nil {
			return
		}
		unusable := 0
		for _, u := range s.Unusable {
			unusable += u.Lines
		}
		assert.Equal(t, s.Lines, s.Used+s.Ignored+s.Others+s.Failed+unusable, "each line is counted once")
		r, err := trace.NewReader(&out, trace.DefaultLimits)
		require.NoError(t, err)
		_, err = footprint.FromTrace(r)
		require.NoError(t, err)
	})
}
