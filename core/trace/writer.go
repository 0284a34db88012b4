package trace

import (
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/klauspost/compress/zstd"
)

// Writer writes a trace. It belongs to one goroutine.
type Writer struct {
	z    *zstd.Encoder
	buf  []byte
	end  End
	what map[string][]byte // as JSON: the same few are written again and again
}

// prepared holds encoders that were used already.
var prepared sync.Pool

// Prepare takes what the next NewWriter would otherwise spend its first millisecond on: it
// may be called while the caller waits for other things.
func Prepare() {
	w := &Writer{}
	var err error
	if w.z, err = newEncoder(io.Discard); err == nil && w.json(Header{}) == nil && w.Flush() == nil {
		prepared.Put(w.z)
	}
}

func newEncoder(w io.Writer) (*zstd.Encoder, error) {
	if z, ok := prepared.Get().(*zstd.Encoder); ok {
		z.Reset(w)
		return z, nil
	}
	return zstd.NewWriter(
		w, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1), zstd.WithWindowSize(1<<18),
		zstd.WithLowerEncoderMem(true),
	)
}

// NewWriter writes the header, with Format set, and returns a writer for the
// rest.
func NewWriter(w io.Writer, h Header) (*Writer, error) {
	z, err := newEncoder(w)
	if err != nil {
		return nil, fmt.Errorf("start trace: %w", err)
	}
	h.Format = Format
	t := &Writer{z: z}
	if err := t.json(h); err != nil {
		return nil, err
	}
	return t, t.Flush()
}

func (w *Writer) json(v any) error {
	line, err := json.Marshal(v)
	if err != nil {
		return fmt.Errorf("write trace: %w", err)
	}
	return w.line(append(line, '\n'))
}

func (w *Writer) line(b []byte) error {
	if _, err := w.z.Write(b); err != nil {
		return fmt.Errorf("write trace: %w", err)
	}
	return nil
}

type fileLine struct {
	N      int           `json:"f"`
	Path   string        `json:"path,omitempty"`
	Bytes  []byte        `json:"bytes,omitempty"`
	Before State         `json:"before"`
	At     time.Duration `json:"at,omitempty"`
}

// reachedLine is a Reached: of a path that is not UTF-8 the bytes.
type reachedLine struct {
	File  int    `json:"reached"`
	Path  string `json:"path,omitempty"`
	Bytes []byte `json:"bytes,omitempty"`
}

// File declares the next file and sets its number.
func (w *Writer) File(f *File) error {
	w.end.Files++
	f.N = w.end.Files
	l := fileLine{N: f.N, Path: f.Path, Before: f.Before, At: f.At}
	if !utf8.ValidString(f.Path) {
		l.Path, l.Bytes = "", []byte(f.Path)
	}
	return w.json(l)
}

// Process declares the next process and sets its number.
func (w *Writer) Process(p *Process) error {
	w.end.Processes++
	p.N = w.end.Processes
	return w.json(p)
}

// Event writes one event.
func (w *Writer) Event(e Event) error {
	w.end.Events++
	b := append(w.buf[:0], `{"t":`...)
	b = strconv.AppendInt(b, int64(e.At), 10)
	b = append(b, `,"p":`...)
	b = strconv.AppendInt(b, int64(e.Process), 10)
	b = append(b, `,"o":"`...)
	b = append(b, e.Op...)
	b = append(b, `","f":`...)
	b = strconv.AppendInt(b, int64(e.File), 10)
	if e.To != 0 {
		b = append(b, `,"to":`...)
		b = strconv.AppendInt(b, int64(e.To), 10)
	}
	if e.Size != 0 {
		b = append(b, `,"size":`...)
		b = strconv.AppendInt(b, e.Size, 10)
	}
	if e.What != "" {
		what, err := w.said(e.What)
		if err != nil {
			return err
		}
		b = append(append(b, `,"what":`...), what...)
	}
	w.buf = append(b, '}', '\n')
	return w.line(w.buf)
}

// maxSaid is how many texts are remembered as JSON.
const maxSaid = 100

// said is a text as JSON.
func (w *Writer) said(what string) ([]byte, error) {
	if text := w.what[what]; text != nil {
		return text, nil
	}
	text, err := json.Marshal(what)
	if err != nil {
		return nil, fmt.Errorf("write trace: %w", err)
	}
	if w.what == nil || len(w.what) >= maxSaid {
		w.what = map[string][]byte{}
	}
	w.what[what] = text
	return text, nil
}

// Cue writes a cue; past MaxCues it is an error, and nothing is written.
func (w *Writer) Cue(c Cue) error {
	if w.end.Cues == MaxCues {
		return fmt.Errorf("write trace: a trace has at most %d cues", MaxCues)
	}
	w.end.Cues++
	return w.json(c)
}

// Gap writes what could not be seen.
func (w *Writer) Gap(g Gap) error { w.end.Gaps++; return w.json(g) }

// Exit writes the end of a process.
func (w *Writer) Exit(e Exit) error { return w.json(e) }

// Known writes the content of a file before it was changed.
func (w *Writer) Known(k Known) error { return w.json(k) }

// After writes the state of a file at the end.
func (w *Writer) After(a After) error { return w.json(a) }

// Reached writes another path of a file.
func (w *Writer) Reached(r Reached) error {
	l := reachedLine{File: r.File, Path: r.Path}
	if !utf8.ValidString(r.Path) {
		l.Path, l.Bytes = "", []byte(r.Path)
	}
	return w.json(l)
}

// Flush makes what was written so far readable, should the writer die.
func (w *Writer) Flush() error {
	if err := w.z.Flush(); err != nil {
		return fmt.Errorf("write trace: %w", err)
	}
	return nil
}

// Close writes the end line and closes the compressed stream, not what lies
// below it.
func (w *Writer) Close(at time.Duration) (End, error) {
	w.end.At = at
	if err := w.json(map[string]End{"end": w.end}); err != nil {
		return w.end, err
	}
	if err := w.z.Close(); err != nil {
		return w.end, fmt.Errorf("write trace: %w", err)
	}
	return w.end, nil
}
