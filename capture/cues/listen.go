package cues

import (
	"crypto/subtle"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"os"
	"time"

	"endroit/capture"
	"endroit/capture/sampling"
	"endroit/core/trace"
)

// Run is the observation of a trace that is being written.
type Run struct {
	Recorder *capture.Recorder
	Sampler  *sampling.Sampler
	Header   trace.Header
	Path     string // of the trace
	cues     int
}

// mark records a cue and returns when it was.
func (m *Run) mark(word string) (time.Duration, error) {
	if m.cues == trace.MaxCues {
		return 0, fmt.Errorf("the trace has %d cues, and takes no more", trace.MaxCues)
	}
	m.cues++
	at := m.Recorder.Now()
	m.Recorder.Other(trace.Cue{At: at, Word: word})
	m.Sampler.SampleAtCue(word)
	return at, nil
}

func (m *Run) about() Running {
	return Running{PID: os.Getpid(), Title: m.Header.Title, Trace: m.Path, Started: m.Header.Started}
}

// Listener takes cues while a trace runs.
type Listener struct {
	l      net.Listener
	secret string // that a request has to carry; empty where only this user can connect
	forget func()
	done   chan struct{}
}

// Listen listens where only this user can connect.
func Listen(folder string, m *Run) (*Listener, error) {
	if folder == "" {
		folder = DefaultFolder()
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, err
	}
	c := &Listener{done: make(chan struct{})}
	var err error
	if c.l, c.secret, c.forget, err = listen(folder); err != nil {
		return nil, err
	}
	go c.serve(m)
	return c, nil
}

// serve takes one request a connection, one after the other.
func (c *Listener) serve(m *Run) {
	defer close(c.done)
	for {
		conn, err := c.l.Accept()
		if err != nil {
			return
		}
		_ = conn.SetDeadline(time.Now().Add(5 * time.Second))
		var request cueRequest
		about := m.about()
		answer := Marked{PID: about.PID, Title: about.Title}
		switch err := json.NewDecoder(io.LimitReader(conn, 4096)).Decode(&request); {
		case err != nil || subtle.ConstantTimeCompare([]byte(request.Secret), []byte(c.secret)) != 1:
			answer.Error = "the request was not understood"
		case request.Cue == "":
			_ = json.NewEncoder(conn).Encode(about)
			_ = conn.Close()
			continue
		default:
			err := Check(request.Cue)
			if err == nil {
				answer.At, err = m.mark(request.Cue)
			}
			if err != nil {
				answer.Error = err.Error()
			}
		}
		_ = json.NewEncoder(conn).Encode(answer)
		_ = conn.Close()
	}
}

func (c *Listener) Close() {
	if c == nil {
		return
	}
	_ = c.l.Close()
	c.forget()
	<-c.done
}
