//go:build amd64 || arm64

package calls

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/capture/capturetest"
	"endroit/capture/cues"
	"endroit/capture/sampling"
	"endroit/capture/versions"
	"endroit/core/trace"
)

const emptyHive = "WINE REGISTRY Version 2\n;; All keys relative to \\\\User\\\\S-1-5-21-0-0-0-1000\n\n"

func init() {
	capturetest.Acts["map"] = func() error {
		f, err := os.OpenFile("there.txt", os.O_RDWR, 0)
		if err != nil {
			return err
		}
		memory, err := unix.Mmap(int(f.Fd()), 0, 6, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_SHARED)
		if err != nil {
			return err
		}
		copy(memory, "behind")
		return unix.Munmap(memory)
	}
	capturetest.Acts["received"] = func() error {
		conn, err := net.Dial("unix", "give.sock")
		if err != nil {
			return err
		}
		oob := make([]byte, unix.CmsgSpace(4))
		_, n, _, _, err := conn.(*net.UnixConn).ReadMsgUnix(make([]byte, 1), oob)
		if err != nil {
			return err
		}
		messages, err := unix.ParseSocketControlMessage(oob[:n])
		if err != nil {
			return err
		}
		fds, err := unix.ParseUnixRights(&messages[0])
		if err != nil {
			return err
		}
		for range 6 {
			if _, err := unix.Write(fds[0], []byte("more")); err != nil {
				return err
			}
			time.Sleep(sampling.SampleEvery)
		}
		return nil
	}
	capturetest.Acts["say"] = func() error {
		for range 2 {
			fmt.Println("a word")
			time.Sleep(sampling.SampleEvery)
		}
		return nil
	}
	capturetest.Acts["rewind"] = func() error {
		f, err := os.Create("ring.sav")
		if err != nil {
			return err
		}
		for _, at := range []int64{0, 100, 0} {
			if _, err := f.WriteAt([]byte("0123456789"), at); err != nil {
				return err
			}
			if _, err := f.Seek(at+10, 0); err != nil {
				return err
			}
			time.Sleep(3 * sampling.SampleEvery)
		}
		return f.Close()
	}
	capturetest.Acts["save-twice"] = func() error {
		for i := range 2 {
			if err := os.WriteFile("there.txt", fmt.Appendf(nil, "state %d", i), 0o600); err != nil {
				return err
			}
			if err := os.WriteFile(fmt.Sprintf("written-%d", i), nil, 0o600); err != nil {
				return err
			}
			for {
				if _, err := os.Stat(fmt.Sprintf("go-on-%d", i)); err == nil {
					break
				}
				time.Sleep(5 * time.Millisecond)
			}
		}
		return os.Remove("there.txt")
	}
	capturetest.Acts["registry"] = func() error {
		for i, text := range []string{"\"Wind\"=dword:00000004\n", "\"Wind\"=dword:00000004\n\"Tide\"=\"high\"\n"} {
			if err := os.WriteFile("reg.tmp", []byte(emptyHive+"[Software\\\\Fen] 1700000001\n"+text+"\n[Software\\\\Fen\\\\Keys] 1700000001\n@=\"x\"\n"), 0o600); err != nil {
				return err
			}
			if err := os.Rename("reg.tmp", "user.reg"); err != nil {
				return err
			}
			if i == 0 {
				time.Sleep(6 * sampling.SampleEvery)
			}
		}
		return nil
	}
}

func TestAMapThatIsWrittenIsFoundByComparing(t *testing.T) {
	got := observe(t, "map", nil)
	assert.Equal(t, []string{"update there.txt"}, got.Events)
	assert.NotEqual(t, got.Files["there.txt"].Before.Digest, got.After["there.txt"].Digest)
	assert.Len(t, got.After["there.txt"].Digest, 64)
}

func TestPositionsTellGrowingFromRewriting(t *testing.T) {
	got := observe(t, "rewind", nil)
	var at []int64
	var what []string
	for _, e := range got.Told(trace.Position, "ring.sav") {
		at, what = append(at, e.Size), append(what, e.What)
		assert.Equal(t, 1, e.Process)
	}
	assert.Equal(t, []int64{10, 110, 10}, at)
	assert.Equal(t, []string{"", "", "back"}, what)
}

func TestADescriptorFromAnotherProgramIsFound(t *testing.T) {
	folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	t.Setenv("HOME", folder)
	theirs := capturetest.Must(os.Create(filepath.Join(folder, "theirs.sav")))
	defer theirs.Close()
	fd := int(theirs.Fd())
	got := observe(t, "received", func(o *Options) {
		l, err := net.Listen("unix", "give.sock")
		require.NoError(t, err)
		go func() {
			defer l.Close()
			conn, err := l.Accept()
			if err != nil {
				return
			}
			defer conn.Close()
			_, _, _ = conn.(*net.UnixConn).WriteMsgUnix([]byte{'x'}, unix.UnixRights(fd), nil)
		}()
	})
	name := filepath.Join(folder, "theirs.sav")
	list := got.Told(trace.Position, name)
	require.NotEmpty(t, list)
	assert.Equal(t, "through a descriptor that another program opened", list[0].What)
	assert.Equal(t, 1, list[0].Process)
	assert.EqualValues(t, 24, got.After[name].Size)
}

// What a program says to a file that it was given is no finding.
func TestInheritedOutputIsNotAFinding(t *testing.T) {
	folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	t.Setenv("HOME", folder)
	said := capturetest.Must(os.Create(filepath.Join(folder, "said.txt")))
	defer said.Close()
	acts := observe(t, "say", func(o *Options) { o.Stdout = said })
	assert.Equal(t, 0, acts.Result.Status)
	assert.NotContains(t, acts.Files, filepath.Join(folder, "said.txt"))
	info := capturetest.Must(said.Stat())
	assert.EqualValues(t, 14, info.Size())
}

func TestServiceWritesHaveNoProcess(t *testing.T) {
	home := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	t.Setenv("HOME", home)
	settings := filepath.Join(home, ".config", "services", "all.db")
	require.NoError(t, os.MkdirAll(filepath.Dir(settings), 0o755))
	require.NoError(t, os.WriteFile(settings, []byte("before"), 0o600))
	same := filepath.Join(home, ".config", "same.conf")
	require.NoError(t, os.WriteFile(same, nil, 0o600))
	got := observe(t, "wait-for-file", func(o *Options) {
		go func() {
			for ; ; time.Sleep(10 * time.Millisecond) {
				if _, err := cues.Mark(o.CueFolder, "running", 0); err == nil {
					break
				}
			}
			_ = os.WriteFile(settings, []byte("afterwards"), 0o600)
			_ = os.WriteFile("go-on", nil, 0o600)
		}()
	})
	list := got.Told(trace.Changed, settings)
	require.Len(t, list, 1)
	assert.Equal(t, trace.Unobserved, list[0].What)
	assert.Zero(t, list[0].Process)
	assert.EqualValues(t, 6, got.Files[settings].Before.Size)
	assert.EqualValues(t, 10, got.After[settings].Size)
	assert.Len(t, got.After[settings].Digest, 64)
	assert.NotContains(t, got.Files, same)
}

func TestVersionsAreKeptBeforeAtCuesAndAtTheEnd(t *testing.T) {
	var kept string
	got := observe(t, "save-twice", func(o *Options) {
		folder := capturetest.Must(os.Getwd())
		t.Setenv("HOME", folder)
		kept = versions.Beside(filepath.Join(folder, "x.trace"))
		o.Versions = versions.Options{Folder: kept, File: versions.DefaultFile}
		go func() {
			for i := range 2 {
				for ; ; time.Sleep(5 * time.Millisecond) {
					if _, err := os.Stat(fmt.Sprintf("written-%d", i)); err == nil {
						break
					}
				}
				for ; ; time.Sleep(5 * time.Millisecond) {
					if _, err := cues.Mark(o.CueFolder, fmt.Sprintf("saved-%d", i), 0); err == nil {
						break
					}
				}
				for n := 0; n < 2000; n++ { // until it is kept: two, three
					time.Sleep(5 * time.Millisecond)
					if list, _ := versions.Read(kept); count(list, "there.txt") >= 2+i {
						break
					}
				}
				_ = os.WriteFile(fmt.Sprintf("go-on-%d", i), nil, 0o600)
			}
		}()
	})
	list, err := versions.Read(kept)
	require.NoError(t, err)
	var why, contents []string
	for _, v := range list {
		if filepath.Base(v.Path) == "there.txt" {
			why = append(why, v.Why)
			data, err := os.ReadFile(v.Content(kept))
			require.NoError(t, err)
			contents = append(contents, string(data))
			assert.EqualValues(t, len(data), v.Size)
		}
	}
	assert.Equal(t, []string{"before", "cue saved-0", "cue saved-1"}, why)
	assert.Equal(t, []string{"before", "state 0", "state 1"}, contents)
	assert.Equal(t, got.Files["there.txt"].Before.Digest, list[0].Digest)
	info := capturetest.Must(os.Stat(kept))
	assert.EqualValues(t, 0o700, info.Mode().Perm(), "what a person keeps is the person's own")
}

func count(list []versions.Version, name string) (n int) {
	for _, v := range list {
		if filepath.Base(v.Path) == name {
			n++
		}
	}
	return n
}

func TestVersionsHaveLimits(t *testing.T) {
	folder := t.TempDir()
	w, err := trace.NewWriter(&bytes.Buffer{}, trace.Header{})
	require.NoError(t, err)
	r := capture.NewRecorder(time.Now())
	r.Begin(w)
	k := versions.New(r, versions.Options{Folder: filepath.Join(folder, "v"), File: 10, Total: 12})
	for name, size := range map[string]int{"small": 8, "twin": 8, "large": 11, "last": 5} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), bytes.Repeat([]byte("x"), size), 0o600))
	}
	keep := func(name string) bool { _, ok := k.Keep(filepath.Join(folder, name), "before", false); return ok }
	assert.True(t, keep("small"))
	assert.False(t, keep("large"), "over the limit for one")
	assert.False(t, keep("last"), "over the limit for all")
	assert.True(t, keep("small"), "known")
	assert.False(t, keep("nowhere"))
	require.NoError(t, k.Close())
	_, gaps, err := r.Close()
	require.NoError(t, err)
	require.Len(t, gaps, 1)
	assert.Contains(t, gaps[0].What, "reached their limit (12 bytes in total)")
	entries := capturetest.Must(os.ReadDir(filepath.Join(folder, "v", "content")))
	assert.Len(t, entries, 1)
}

func TestVersionsOfOneContentAreKeptOnce(t *testing.T) {
	folder := t.TempDir()
	w, err := trace.NewWriter(&bytes.Buffer{}, trace.Header{})
	require.NoError(t, err)
	r := capture.NewRecorder(time.Now())
	r.Begin(w)
	k := versions.New(r, versions.Options{Folder: filepath.Join(folder, "v"), File: 100})
	for _, name := range []string{"a", "b\xff"} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte("same"), 0o600))
		_, ok := k.Keep(filepath.Join(folder, name), "end", true)
		assert.True(t, ok)
	}
	_, ok := k.Keep(filepath.Join(folder, "a"), "end", true)
	assert.True(t, ok)
	require.NoError(t, k.Close())
	list, err := versions.Read(k.Options.Folder)
	require.NoError(t, err)
	require.Len(t, list, 2, "what did not change is not noted again")
	assert.Equal(t, filepath.Join(folder, "b\xff"), list[1].Path)
	assert.Len(t, capturetest.Must(os.ReadDir(filepath.Join(folder, "v", "content"))), 1)

	// A line that a crash cut is left out; one that is wrong is an error.
	index := filepath.Join(k.Options.Folder, "index.jsonl")
	whole := capturetest.Must(os.ReadFile(index))
	require.NoError(t, os.WriteFile(index, append(bytes.Clone(whole), `{"path":"/x`...), 0o600))
	assert.Len(t, capturetest.Must(versions.Read(k.Options.Folder)), 2)
	for _, bad := range []string{"{\"path\n", `{"path":"/x","digest":"../../etc/passwd"}` + "\n"} {
		require.NoError(t, os.WriteFile(index, append([]byte(bad), whole...), 0o600))
		_, err = versions.Read(k.Options.Folder)
		assert.ErrorContains(t, err, "line 1")
	}
	list, err = versions.Read(filepath.Join(folder, "nowhere"))
	assert.NoError(t, err)
	assert.Empty(t, list)
}

func TestChangesOfTheRegistryBecomeEvents(t *testing.T) {
	got := observe(t, "registry", func(o *Options) {
		folder := capturetest.Must(os.Getwd())
		require.NoError(t, os.WriteFile("user.reg", []byte(emptyHive+"[Software\\\\Fen] 1700000000\n\"Wind\"=dword:00000003\n\n[Software\\\\Left] 1700000000\n\"a\"=\"b\"\n"), 0o600))
		require.NoError(t, os.WriteFile("system.reg", []byte("no hive at all"), 0o600))
		o.Header.Prefix = &trace.Prefix{Folder: folder}
	})
	fen, keys, left := "registry:HKEY_CURRENT_USER/Software/Fen/", "registry:HKEY_CURRENT_USER/Software/Fen/Keys/", "registry:HKEY_CURRENT_USER/Software/Left/"
	list := got.Told(trace.Changed, fen)
	require.Len(t, list, 2)
	assert.Equal(t, "set Wind", list[0].What)
	assert.Equal(t, "set Tide", list[1].What)
	assert.Less(t, list[0].At, list[1].At)
	assert.Equal(t, trace.State{Is: trace.IsKey, Size: 1, Digest: got.Files[fen].Before.Digest, Looks: "values: Wind", Time: time.Unix(1700000000, 0).UTC()}, got.Files[fen].Before)
	assert.Equal(t, "values: Wind, Tide", got.After[fen].Looks)
	assert.NotEqual(t, got.Files[fen].Before.Digest, got.After[fen].Digest)
	made := got.Told(trace.Create, keys)
	require.Len(t, made, 1)
	assert.Equal(t, "set the default value", made[0].What)
	assert.Len(t, got.Told(trace.Remove, left), 1)
	assert.Equal(t, trace.IsAbsent, got.After[left].Is)
	require.Len(t, got.Result.Gaps, 1)
	assert.Contains(t, got.Result.Gaps[0].What, "the registry in system.reg could not be read before the run")
}

func TestClockChangeIsReported(t *testing.T) {
	w, err := trace.NewWriter(&bytes.Buffer{}, trace.Header{})
	require.NoError(t, err)
	r := capture.NewRecorder(time.Now())
	r.Begin(w)
	c := sampling.NewClock()
	c.Look(r)
	c.Ahead -= 90 * time.Second // as if the clock had stood so before
	c.Look(r)
	c.Look(r)
	_, gaps, err := r.Close()
	require.NoError(t, err)
	require.Len(t, gaps, 1)
	assert.Contains(t, gaps[0].What, "the clock went forward by 1m30s")
	assert.Equal(t, 1, gaps[0].N)
}

// A disk that is full ends the trace, not the game.
func TestAFullDiskEndsTheTraceAlone(t *testing.T) {
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	require.NoError(t, err)
	defer full.Close()
	_, err = Run(context.Background(), Options{Command: []string{"/bin/true"}, Out: full, Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, CueFolder: t.TempDir()})
	assert.ErrorIs(t, err, unix.ENOSPC)

	folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	t.Chdir(folder)
	t.Setenv("ENDROIT_ACT", "storm")
	var buf bytes.Buffer
	result, err := Run(context.Background(), Options{Command: []string{os.Args[0]}, Out: &filling{to: &buf, left: 20_000}, Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, CueFolder: filepath.Join(folder, "cues")})
	assert.ErrorIs(t, err, unix.ENOSPC)
	assert.Equal(t, 0, result.Status, "the program went on to its end")
	assert.Len(t, capturetest.Must(filepath.Glob("s*")), 3000)
	got := capturetest.ReadBack(t, &buf, folder)
	assert.NotEmpty(t, got.Cut)
	assert.Greater(t, len(got.Events), 100, "what was written is readable")
}

// filling is a disk that becomes full.
type filling struct {
	to   *bytes.Buffer
	left int
}

func (f *filling) Write(p []byte) (int, error) {
	n := min(len(p), f.left)
	f.to.Write(p[:n])
	f.left -= n
	if n < len(p) {
		return n, unix.ENOSPC
	}
	return n, nil
}
