// Package cues marks moments in a trace that is being written: a run listens, and another
// program of the same person tells it what just happened in the game.
//
//	listener, err := cues.Listen(folder, run)       // the run
//	marked, err := cues.Mark(folder, "saved", 0)    // the other
package cues

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"endroit/capture"
	"endroit/core/words"
)

// Standard are the standard words for a moment.
var Standard = []string{"ready", "loaded", "saved", "changed-setting", "quit"}

// Errors of Cue.
var (
	ErrNoTrace    = errors.New("no trace is running; start one with: endroit trace -- COMMAND")
	ErrManyTraces = errors.New("several traces are running")
)

// Check reports what is wrong with a cue's word.
func Check(word string) error {
	switch {
	case word == "" || utf8.RuneCountInString(word) > 60:
		return fmt.Errorf("a cue is a word of 1 to 60 characters; the usual ones are %s", strings.Join(Standard, ", "))
	}
	if reason := words.Name(word, 4*60); reason != "" {
		return fmt.Errorf("that is no word for a cue: %s", reason)
	}
	return nil
}

// DefaultFolder is where running traces of this user listen for cues.
func DefaultFolder() string {
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

// Mark marks a moment in the running trace: the one of process pid, or the only
// one if pid is 0. folder is DefaultCueFolder if empty. The error may be
// ErrNoTrace or ErrManyTraces.
func Mark(folder, word string, pid int) (Marked, error) {
	if err := Check(word); err != nil {
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

// Runs lists this user's traces that are running, by process id. folder is as with Cue.
func Runs(folder string) (list []Running, err error) {
	found, err := listeners(folder, 0)
	if err != nil {
		return nil, err
	}
	for _, l := range found {
		var r Running
		if l.ask(cueRequest{}, &r) == nil && r.PID == l.pid {
			list = append(list, r)
		}
		_ = l.Close()
	}
	return list, nil
}

// IsRunning reports whether there is a process with this id, such as Running's.
func IsRunning(pid int) bool { return capture.Alive(pid) }

// listening is a connection to a running trace.
type listening struct {
	net.Conn
	pid    int
	secret string
}

// listeners are the running traces that listen in a folder of this user's own: the one of
// process pid, or all if it is 0. They are to be closed.
func listeners(folder string, pid int) (found []listening, err error) {
	if folder == "" {
		folder = DefaultFolder()
	}
	switch err := trusted(folder); {
	case errors.Is(err, os.ErrNotExist):
		return nil, nil
	case err != nil:
		return nil, err // its answers could be anybody's, and what is tidied up could be too
	}
	entries, _ := os.ReadDir(folder)
	for _, e := range entries {
		name, isCue := strings.CutSuffix(e.Name(), ".cue")
		n, err := strconv.Atoi(name)
		if err != nil || !isCue || n < 1 || pid != 0 && n != pid {
			continue
		}
		path := filepath.Join(folder, e.Name())
		conn, secret, err := dial(path)
		if err != nil {
			// One left by a trace that was killed goes. One whose trace runs may
			// only not listen yet.
			if !capture.Alive(n) {
				_ = os.Remove(path)
			}
			continue
		}
		found = append(found, listening{conn, n, secret})
	}
	slices.SortFunc(found, func(a, b listening) int { return a.pid - b.pid })
	return found, nil
}

// ask has a running trace answer a request.
func (l listening) ask(request cueRequest, answer any) error {
	request.Secret = l.secret
	_ = l.SetDeadline(time.Now().Add(5 * time.Second))
	if err := json.NewEncoder(l).Encode(request); err != nil {
		return err
	}
	if err := json.NewDecoder(io.LimitReader(l, 64<<10)).Decode(answer); err != nil {
		return fmt.Errorf("the trace did not answer: %w", err)
	}
	return nil
}

// ask has the running trace that is meant answer a request.
func ask(folder string, pid int, request cueRequest, answer any) error {
	found, err := listeners(folder, pid)
	if err != nil {
		return err
	}
	var pids []int
	for _, l := range found {
		defer l.Close()
		pids = append(pids, l.pid)
	}
	switch {
	case len(found) == 0 && pid != 0:
		return fmt.Errorf("no trace with process id %d is running", pid)
	case len(found) == 0:
		return ErrNoTrace
	case len(found) > 1:
		return fmt.Errorf("%w, with process ids %v; say which with --trace PID", ErrManyTraces, pids)
	}
	return found[0].ask(request, answer)
}
