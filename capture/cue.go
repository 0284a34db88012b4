package capture

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"endroit/core/words"
)

// Cues are the standard words for a moment.
var Cues = []string{"ready", "loaded", "saved", "changed-setting", "quit"}

// Errors of Cue.
var (
	ErrNoTrace    = errors.New("no trace is running; start one with: endroit trace -- COMMAND")
	ErrManyTraces = errors.New("several traces are running")
)

// CheckCue reports what is wrong with a cue's word.
func CheckCue(word string) error {
	switch {
	case word == "" || utf8.RuneCountInString(word) > 60:
		return fmt.Errorf("a cue is a word of 1 to 60 characters; the usual ones are %s", strings.Join(Cues, ", "))
	}
	if reason := words.Name(word, 4*60); reason != "" {
		return fmt.Errorf("that is no word for a cue: %s", reason)
	}
	return nil
}

// DefaultCueFolder is where running traces of this user listen for cues.
func DefaultCueFolder() string {
	if dir := os.Getenv("XDG_RUNTIME_DIR"); filepath.IsAbs(dir) {
		return filepath.Join(dir, "endroit")
	}
	return filepath.Join(os.TempDir(), "endroit-"+strconv.Itoa(os.Getuid()))
}

// cueRequest marks a moment, or without a cue asks about the run.
type cueRequest struct {
	Cue    string `json:"cue,omitempty"`
	Secret string `json:"secret,omitempty"`
}

// Running is a trace that is being written.
type Running struct {
	PID     int       `json:"pid"`
	Title   string    `json:"title,omitempty"`
	Trace   string    `json:"trace"` // the file that is written, absolute
	Started time.Time `json:"started"`
}

// Marked tells which trace took a cue, and when in its run.
type Marked struct {
	PID   int           `json:"pid"`
	Title string        `json:"title,omitempty"`
	At    time.Duration `json:"at"`
	Error string        `json:"error,omitempty"`
}

// Cue marks a moment in the running trace: the one of process pid, or the only
// one if pid is 0. folder is DefaultCueFolder if empty. The error may be
// ErrNoTrace or ErrManyTraces.
func Cue(folder, word string, pid int) (Marked, error) {
	if err := CheckCue(word); err != nil {
		return Marked{}, err
	}
	var m Marked
	if err := ask(folder, pid, cueRequest{Cue: word}, &m); err != nil {
		if errors.Is(err, ErrNoTrace) || errors.Is(err, ErrManyTraces) {
			return Marked{}, err
		}
		return Marked{}, fmt.Errorf("mark the cue: %w", err)
	}
	if m.Error != "" {
		return Marked{}, fmt.Errorf("mark the cue: %s", m.Error)
	}
	return m, nil
}

// Find finds the running trace: the one of process pid, or the only one if pid is 0.
// folder and the errors are as with Cue.
func Find(folder string, pid int) (r Running, err error) {
	return r, ask(folder, pid, cueRequest{}, &r)
}

// IsRunning reports whether there is a process with this id, such as Running's.
func IsRunning(pid int) bool { return running(pid) }

// ask has a running trace answer a request.
func ask(folder string, pid int, request cueRequest, answer any) error {
	if folder == "" {
		folder = DefaultCueFolder()
	}
	entries, _ := os.ReadDir(folder)
	type listening struct {
		net.Conn
		secret string
	}
	var found []listening
	var pids []int
	for _, e := range entries {
		n, err := strconv.Atoi(strings.TrimSuffix(e.Name(), ".cue"))
		if err != nil || pid != 0 && n != pid {
			continue
		}
		path := filepath.Join(folder, e.Name())
		conn, secret, err := dial(path)
		if err != nil {
			// One left by a trace that was killed goes. One whose trace runs may
			// only not listen yet.
			if !running(n) {
				_ = os.Remove(path)
			}
			continue
		}
		defer conn.Close()
		found, pids = append(found, listening{conn, secret}), append(pids, n)
	}
	switch {
	case len(found) == 0 && pid != 0:
		return fmt.Errorf("no trace with process id %d is running", pid)
	case len(found) == 0:
		return ErrNoTrace
	case len(found) > 1:
		sort.Ints(pids)
		return fmt.Errorf("%w, with process ids %v; say which with --trace PID", ErrManyTraces, pids)
	}
	conn := found[0]
	request.Secret = conn.secret
	_ = conn.SetDeadline(time.Now().Add(5 * time.Second))
	if err := json.NewEncoder(conn).Encode(request); err != nil {
		return err
	}
	if err := json.NewDecoder(io.LimitReader(conn, 64<<10)).Decode(answer); err != nil {
		return fmt.Errorf("the trace did not answer: %w", err)
	}
	return nil
}
