package logs

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"endroit/core/trace"
)

// Words of logs come to operations: as they stand, by what is in them, or as told.
func TestMeanings(t *testing.T) {
	p := &Plan{table: words()}
	for word, want := range map[string]trace.Op{
		"open": Open, "NtCreateFile": Open, "CreateFileW": Open, "CreateFile2": Open, "OPEN FILE": Open, "file_open": Open, "open_nocancel": Open,
		"read": trace.Read, "file was read": trace.Read, "pread64": trace.Read, "ReadFileEx": trace.Read,
		"WriteFile": trace.Update, "file write": trace.Update, "Modified": trace.Update, "a save was written": trace.Update,
		"append": trace.Append, "file-appended": trace.Append,
		"overwritten": trace.Replace, "ftruncate64": trace.Truncate, "SetEndOfFile": trace.Truncate,
		"renameat2": trace.Rename, "File Renamed": trace.Rename, "moved": trace.Rename, "MoveFileExW": trace.Rename,
		"unlink": trace.Remove, "file deleted": trace.Remove, "DeleteFileA": trace.Remove,
		"mkdir": trace.MakeFolder, "folder created": trace.MakeFolder, "rmdir": trace.RemoveFolder, "directory removed": trace.RemoveFolder, "readdir": trace.List, "execve": trace.Run,
		"RegSetValueExW": trace.Changed, "NtSetValueKey": trace.Changed, "RegDeleteValue": trace.Remove, "RegDeleteKeyEx": trace.RemoveFolder,
		"close": Ignore, "RegQueryValueEx": Ignore, "NtQueryInformationFile": Ignore, "SetFileAttributesW": Ignore, "connect": Ignore,
		"FileCreated": trace.Create,
	} {
		op, ok := p.meaning(word)
		assert.True(t, ok, word)
		assert.Equal(t, want, op, word)
	}
	for _, word := range []string{"", "???", "juggle"} {
		_, ok := p.meaning(word)
		assert.False(t, ok, word)
	}
}

func TestFlagsOfAnOpening(t *testing.T) {
	for flags, want := range map[string]trace.Op{
		"": trace.Read, "O_RDONLY": trace.Read, "generic read": trace.Read, "mode=r": trace.Read,
		"O_RDWR": trace.Update, "GENERIC_WRITE": trace.Update, "mode: w": trace.Update, "r+": trace.Update,
		"O_WRONLY|O_TRUNC": trace.Replace, "CREATE_ALWAYS": trace.Replace,
		"FILE_APPEND_DATA": trace.Append, "O_CREAT|O_EXCL|O_WRONLY": trace.Create, "CREATE_NEW": trace.Create,
		"O_DIRECTORY": trace.List,
	} {
		assert.Equal(t, want, opened(flags), flags)
	}
}

func TestOutcomes(t *testing.T) {
	for text, want := range map[string]result{
		"": fine, "success": fine, "ok": fine, "0": fine, "0x0": fine, "7": fine, "True": fine, "STATUS_END_OF_FILE": fine, "ERROR_SUCCESS": fine,
		"not found": absent, "STATUS_OBJECT_NAME_NOT_FOUND": absent, "ENOENT": absent, "-1 ENOENT (No such file or directory)": absent, "0xC0000034": absent, "ERROR_PATH_NOT_FOUND": absent,
		"denied": failed, "STATUS_ACCESS_DENIED": failed, "EACCES": failed, "-13": failed, "false": failed, "sharing violation": failed,
	} {
		assert.Equal(t, want, outcome(text), text)
	}
}

func TestClocksOfLogs(t *testing.T) {
	day := time.Date(2026, 11, 20, 17, 0, 0, 0, time.UTC)
	for text, want := range map[string]string{
		"2026-11-20T10:00:00.25Z":   "2026-11-20T10:00:00.25Z",
		"2026-11-20 10:00:00":       "2026-11-20T10:00:00Z",
		"2026-11-20 10:00:00 +0100": "2026-11-20T09:00:00Z",
		"11/20/2026 3:04:05 PM":     "2026-11-20T15:04:05Z",
		"20.11.2026 15:04:05,5":     "2026-11-20T15:04:05.5Z",
		"15:04:05.123456":           "2026-11-20T15:04:05.123456Z",
		"3:04:05.5 AM":              "2026-11-20T03:04:05.5Z",
		"12.5":                      "2026-11-20T00:00:12.5Z",
		"1763632800":                "2025-11-20T10:00:00Z",
		"1763632800.123456789":      "2025-11-20T10:00:00.123456789Z",
		"1763632800123":             "2025-11-20T10:00:00.123Z",
		"1763632800123456":          "2025-11-20T10:00:00.123456Z",
		"1763632800123456789":       "2025-11-20T10:00:00.123456789Z",
	} {
		got, ok := newClock(day).read(text)
		assert.True(t, ok, text)
		assert.Equal(t, want, got.UTC().Format(time.RFC3339Nano), text)
	}
	for _, text := range []string{"", "noon", "-5", "25:00:00", "1e30", "2026-13-01 10:00:00"} {
		_, ok := newClock(day).read(text)
		assert.False(t, ok, text)
	}
	c := newClock(day)
	first, _ := c.read("23:59:58")
	second, _ := c.read("00:00:02")
	back, _ := c.read("00:00:01")
	assert.Equal(t, 4*time.Second, second.Sub(first), "past midnight")
	assert.Equal(t, -time.Second, back.Sub(second), "a line that is a little late is on the same day")
}
