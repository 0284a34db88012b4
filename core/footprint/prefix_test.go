package footprint

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

var aPrefix = &trace.Prefix{Folder: "/p/505310", User: "player",
	Roots:  map[string]string{"documents": "/home/mira", "roaming-app-data": "/p/505310/drive_c/users/player/AppData/Roaming", "local-app-data": "/media/disk/Local", "saved-games": ""},
	Drives: map[string]string{"C:": "/p/505310/drive_c", "d:": "/media/disk", "z:": "/"},
	Inside: map[string]string{"documents": `C:\users\player\Documents`, "roaming-app-data": `C:\users\player\AppData\Roaming`, "local-app-data": `D:\Local`, "saved-games": `C:\users\player\Saved Games`, "prefix-drive": `C:`}}

func TestPathsOfAPrefixHaveOneSpelling(t *testing.T) {
	in := newInPrefix(aPrefix)
	for name, want := range map[string]string{
		"/p/505310/dosdevices/c:/users/player/AppData/Roaming/Fen/a": "/p/505310/drive_c/users/player/AppData/Roaming/Fen/a",
		"/p/505310/dosdevices/C:/x":                                  "/p/505310/drive_c/x",
		"/p/505310/dosdevices/d:/Local/x":                            "/media/disk/Local/x",
		"/p/505310/dosdevices/z:/home/mira/x":                        "/home/mira/x",
		"/p/505310/dosdevices/e:/x":                                  "/p/505310/dosdevices/e:/x",
		"/p/505310/dosdevices/c:":                                    "/p/505310/drive_c",
		"/p/505310/dosdevices/c:/users/player/Documents/Fen/b.cfg":   "/home/mira/Fen/b.cfg",
		"/p/505310/drive_c/Users/PLAYER/documents":                   "/home/mira",
		"/p/505310/drive_c/users/player/Documents2/x":                "/p/505310/drive_c/users/player/Documents2/x",
		"/p/5053109/dosdevices/c:/x":                                 "/p/5053109/dosdevices/c:/x",
		"/etc/passwd":                                                "/etc/passwd",
	} {
		assert.Equal(t, want, in.host(name), name)
	}
	assert.True(t, in.isHive("/p/505310/user.reg"))
	assert.False(t, in.isHive("/p/505310/drive_c/user.reg"))
	assert.True(t, in.isWindows("/p/505310/drive_c/Windows/system32/kernel32.dll"))
	assert.False(t, in.isWindows("/p/505310/drive_c/windows"))
	assert.False(t, in.isWindows("/p/505310/drive_c/windowsill/x"))
	old := newInPrefix(&trace.Prefix{Folder: "/p"}) // a trace from before drives were recorded
	assert.Equal(t, "/p/drive_c/x", old.host("/p/dosdevices/c:/x"))
	var native *inPrefix
	assert.Equal(t, "/p/dosdevices/c:/x", native.host("/p/dosdevices/c:/x"))
	assert.False(t, native.isHive("/p/user.reg") || native.isWindows("/p/drive_c/windows/x"))
}

// A file that is seen by two ways is one file; the prefix's registry is no finding.
func TestAFileOfAPrefixIsOne(t *testing.T) {
	b := newBuilder(trace.Header{OS: "linux", Runtime: "prefix", Prefix: aPrefix})
	file := func(n int, path string) {
		b.line(trace.Line{File: &trace.File{N: n, Path: path, Before: trace.State{Is: trace.IsAbsent}}})
	}
	event := func(op trace.Op, n, to int) { b.line(trace.Line{Event: &trace.Event{At: 1, Op: op, File: n, To: to}}) }
	file(1, "/p/505310/dosdevices/c:/users/player/AppData/Roaming/Fen/a.sav")
	event(trace.Create, 1, 0)
	file(2, "/p/505310/drive_c/users/player/AppData/Roaming/Fen/a.sav")
	event(trace.Update, 2, 0)
	event(trace.Read, 2, 0)
	file(3, "/p/505310/user.reg")
	event(trace.Replace, 3, 0)
	b.line(trace.Line{After: &trace.After{File: 2, State: trace.State{Is: trace.IsFile, Size: 9}}})
	b.line(trace.Line{After: &trace.After{File: 3, State: trace.State{Is: trace.IsFile, Size: 9}}})
	fp := b.finish()
	require.Len(t, fp.Files, 2)
	save, hive := fp.Files[0], fp.Files[1]
	assert.Equal(t, "roaming-app-data:Fen/a.sav", save.Place)
	assert.Equal(t, `C:\users\player\AppData\Roaming\Fen\a.sav`, save.Inside)
	assert.Equal(t, `Z:\p\505310\user.reg`, hive.Inside, "the closest drive")
	assert.Empty(t, fp.Share(fp.Anonymizer()).Files[0].Inside, "it holds the user's name")
	assert.Equal(t, 2, save.Writes)
	assert.Equal(t, 1, save.Reads)
	assert.Equal(t, int64(9), save.After.Size)
	assert.Equal(t, Save, save.Kind)
	assert.Equal(t, System, hive.Kind)
	assert.Contains(t, hive.Reasons[0], "it is the prefix's registry file; what programs keep is in its keys")
}
