package trace

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"strings"
	"time"

	"github.com/klauspost/compress/zstd"
)

// Limits bound what a reader takes from a stranger's file.
type Limits struct {
	Line      int   // bytes of one line
	Bytes     int64 // bytes of the whole after decompression
	Files     int
	Processes int
	// Ratio is how many bytes one compressed byte may decompress to, beyond the first
	// megabyte, so that memory is bounded by the size of the file. 0 means no limit.
	Ratio int64
}

// DefaultLimits hold some fifty million events. A trace decompresses to 4 to 15 times its size.
var DefaultLimits = Limits{Line: 1 << 20, Bytes: 4 << 30, Files: 4_000_000, Processes: 1_000_000, Ratio: 100}

// What a trace has at most. A writer keeps to it, and a reader refuses more.
const (
	MaxCues    = 1000
	MaxGaps    = 1000     // of different texts
	MaxGapText = 10 << 10 // bytes: two paths and some words
	unfolded   = 1 << 20  // bytes that any trace may have
)

// Errors that a caller may decide on.
var (
	// ErrFormat says that the input is no trace, or one of another version.
	ErrFormat = errors.New("not a trace that this version reads")
	// ErrDamaged says that a line is not what a trace can hold.
	ErrDamaged = errors.New("the line is damaged")
	// ErrTooLarge says that a limit was passed.
	ErrTooLarge = errors.New("the trace is larger than the limit")
)

// Line is one line after the header: exactly one field is set.
type Line struct {
	File    *File
	Process *Process
	Event   *Event
	Cue     *Cue
	Gap     *Gap
	Exit    *Exit
	Known   *Known
	Reached *Reached
	After   *After
	End     *End
}

// Reader reads a trace line by line.
type Reader struct {
	Header Header
	in     *bufio.Reader
	count  *counter
	limits Limits
	n      int // lines read
	end    End // counts so far
	closed bool
	cut    string
	spare  []Event // memory for the next events
}

// eventsAtOnce is for how many events memory is taken at once.
const eventsAtOnce = 64

// NewReader reads the header. It returns an error that wraps ErrFormat if the
// input is something else.
func NewReader(in io.Reader, limits Limits) (*Reader, error) {
	sent := &sent{in: in}
	z, err := zstd.NewReader(
		sent, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(64<<20),
		zstd.WithDecoderMaxWindow(16<<20),
	)
	if err != nil {
		return nil, fmt.Errorf("read trace: %w", err)
	}
	r := &Reader{count: &counter{in: z, left: limits.Bytes, sent: sent, ratio: limits.Ratio}, limits: limits}
	r.in = bufio.NewReaderSize(r.count, 64<<10)
	line, err := r.line()
	if err != nil || line == nil {
		return nil, fmt.Errorf(
			"read trace: %w: it is not a trace (zstd with a header line); was it written by endroit trace?",
			ErrFormat,
		)
	}
	if err := json.Unmarshal(line, &r.Header); err != nil || !strings.HasPrefix(r.Header.Format, "endroit/trace/") {
		return nil, fmt.Errorf("read trace: %w: its first line has no format endroit/trace/…", ErrFormat)
	}
	if r.Header.Format != Format {
		return nil, fmt.Errorf(
			"read trace: %w: it has format %.40q and this program reads %s; use the version that wrote it, or a newer one",
			ErrFormat, r.Header.Format, Format,
		)
	}
	return r, nil
}

// sent counts what was read of the file itself.
type sent struct {
	in io.Reader
	n  int64
}

func (s *sent) Read(p []byte) (int, error) {
	n, err := s.in.Read(p)
	s.n += int64(n)
	return n, err
}

// counter stops a decompression that grows past the limits.
type counter struct {
	in    io.Reader
	left  int64
	sent  *sent
	n     int64
	ratio int64
}

// errRatio says that a file unfolds to more than a trace does.
var errRatio = fmt.Errorf("%w: it decompresses to far more than a trace would", ErrTooLarge)

func (c *counter) Read(p []byte) (int, error) {
	if c.left <= 0 {
		return 0, ErrTooLarge
	}
	if c.ratio > 0 && c.n > unfolded+c.ratio*c.sent.n {
		return 0, errRatio
	}
	if int64(len(p)) > c.left {
		p = p[:c.left]
	}
	n, err := c.in.Read(p)
	c.left -= int64(n)
	c.n += int64(n)
	return n, err
}

// Cut says, after the last line, why the trace is incomplete: empty if it has
// its end line.
func (r *Reader) Cut() string { return r.cut }

// line returns the next whole line without its end; nil when there are no more.
func (r *Reader) line() ([]byte, error) {
	var long []byte
	for {
		part, err := r.in.ReadSlice('\n')
		if err == nil || err == bufio.ErrBufferFull {
			if len(long)+len(part) > r.limits.Line {
				return nil, fmt.Errorf("line %d: %w of %d bytes for a line", r.n+1, ErrTooLarge, r.limits.Line)
			}
			if err == bufio.ErrBufferFull {
				long = append(long, part...)
				continue
			}
			r.n++
			if long != nil {
				part = append(long, part...)
			}
			return part[:len(part)-1], nil
		}
		switch {
		case errors.Is(err, errRatio):
			return nil, fmt.Errorf("line %d: %w", r.n+1, err)
		case errors.Is(err, ErrTooLarge):
			return nil, fmt.Errorf("line %d: %w of %d bytes in all", r.n+1, ErrTooLarge, r.limits.Bytes)
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			r.cut = "it ends without its last line; the observer was stopped before it could finish"
		default:
			r.cut = fmt.Sprintf("it is unreadable after line %d (%v); what is before that is used", r.n, err)
		}
		return nil, nil
	}
}

type anyLine struct {
	// an event
	T    *time.Duration `json:"t"`
	O    Op             `json:"o"`
	To   int            `json:"to"`
	Size int64          `json:"size"`
	What string         `json:"what"`
	F    *int           `json:"f"`
	P    *int           `json:"p"`
	// a file
	Path   string `json:"path"`
	Bytes  []byte `json:"bytes"`
	Before State  `json:"before"`
	// a process
	PID    int               `json:"pid"`
	Parent int               `json:"parent"`
	Exe    string            `json:"exe"`
	Args   []string          `json:"args"`
	Env    map[string]string `json:"env"`
	// the others
	At     time.Duration `json:"at"`
	Cue    string        `json:"cue"`
	Gap    string        `json:"gap"`
	Times  int           `json:"times"`
	Exit   *int          `json:"exit"`
	Status int           `json:"status"`
	Known  *int          `json:"known"`
	Reach  *int          `json:"reached"`
	After  *int          `json:"after"`
	State  State         `json:"state"`
	End    *End          `json:"end"`
}

// Lines yields the lines after the header. It stops after the first error; a
// trace that was cut short is no error: Cut says so afterwards. The values that
// it yields are the caller's.
func (r *Reader) Lines() iter.Seq2[Line, error] {
	return func(yield func(Line, error) bool) {
		for !r.closed {
			raw, err := r.line()
			if err != nil {
				yield(Line{}, fmt.Errorf("read trace: %w", err))
				return
			}
			if raw == nil {
				return
			}
			line, known, err := r.parse(raw)
			if err != nil {
				yield(Line{}, fmt.Errorf("read trace: line %d: %w: %w", r.n, ErrDamaged, err))
				return
			}
			if known && !yield(line, nil) {
				return
			}
		}
	}
}

func (r *Reader) parse(raw []byte) (line Line, known bool, err error) {
	if len(r.spare) == 0 {
		r.spare = make([]Event, eventsAtOnce)
	}
	if e := &r.spare[0]; plainEvent(raw, e) {
		r.spare = r.spare[1:]
		if err := r.sound(e); err != nil {
			return line, false, err
		}
		r.end.Events++
		line.Event = e
		return line, true, nil
	}
	var a anyLine
	d := json.NewDecoder(bytes.NewReader(raw))
	if err := d.Decode(&a); err != nil {
		return line, false, err
	}
	if a.At < 0 || a.T != nil && *a.T < 0 {
		return line, false, errors.New("a time before the start")
	}
	switch {
	case a.T != nil:
		e := Event{At: *a.T, Op: a.O, To: a.To, Size: a.Size, What: a.What}
		if a.F != nil {
			e.File = *a.F
		}
		if a.P != nil {
			e.Process = *a.P
		}
		if _, ok := ops[e.Op]; !ok {
			return line, false, nil
		}
		if err := r.sound(&e); err != nil {
			return line, false, err
		}
		r.end.Events++
		line.Event = &e
	case a.Exit != nil:
		if *a.Exit < 1 || *a.Exit > r.end.Processes {
			return line, false, errors.New("an exit names a process that was not declared")
		}
		line.Exit = &Exit{*a.Exit, a.At, a.Status}
	case a.After != nil, a.Known != nil:
		n := a.After
		if n == nil {
			n = a.Known
		}
		if *n < 1 || *n > r.end.Files {
			return line, false, errors.New("a state names a file that was not declared")
		}
		if a.After != nil {
			line.After = &After{*n, a.State}
		} else {
			line.Known = &Known{*n, a.State}
		}
	case a.Reach != nil:
		if *a.Reach < 1 || *a.Reach > r.end.Files {
			return line, false, errors.New("another path of a file that was not declared")
		}
		if a.Bytes != nil {
			a.Path = string(a.Bytes)
		}
		if !IsPath(a.Path, r.Header.OS) {
			return line, false, errors.New("a file reached by a path that is not absolute")
		}
		line.Reached = &Reached{*a.Reach, a.Path}
	case a.F != nil:
		f := File{N: *a.F, Path: a.Path, Before: a.Before, At: a.At}
		if a.Bytes != nil {
			f.Path = string(a.Bytes)
		}
		if r.end.Files++; f.N != r.end.Files {
			return line, false, fmt.Errorf("file number %d instead of %d", f.N, r.end.Files)
		}
		if r.end.Files > r.limits.Files {
			return line, false, fmt.Errorf("%w of %d files", ErrTooLarge, r.limits.Files)
		}
		if !IsPath(f.Path, r.Header.OS) {
			return line, false, errors.New("a file without an absolute path")
		}
		line.File = &f
	case a.P != nil:
		p := Process{N: *a.P, PID: a.PID, Parent: a.Parent, Exe: a.Exe, Args: a.Args, Env: a.Env, At: a.At}
		if r.end.Processes++; p.N != r.end.Processes || p.Parent < 0 || p.Parent >= p.N {
			return line, false, fmt.Errorf("process number %d with parent %d instead of %d", p.N, p.Parent, r.end.Processes)
		}
		if r.end.Processes > r.limits.Processes {
			return line, false, fmt.Errorf("%w of %d processes", ErrTooLarge, r.limits.Processes)
		}
		line.Process = &p
	case a.Cue != "":
		if r.end.Cues++; r.end.Cues > MaxCues {
			return line, false, fmt.Errorf("%w of %d cues", ErrTooLarge, MaxCues)
		}
		line.Cue = &Cue{a.At, a.Cue}
	case a.Gap != "":
		if r.end.Gaps++; r.end.Gaps > MaxGaps || len(a.Gap) > MaxGapText {
			return line, false, fmt.Errorf("%w of %d gaps, or of %d bytes for one", ErrTooLarge, MaxGaps, MaxGapText)
		}
		line.Gap = &Gap{a.At, a.Gap, a.Times}
	case a.End != nil:
		got := *a.End
		r.end.At = got.At
		if got != r.end {
			return line, false, fmt.Errorf("the end line counts %+v and %+v were read", got, r.end)
		}
		// The stream's own checksum stands behind the last line.
		switch _, err := r.in.ReadByte(); {
		case err == nil:
			return line, false, errors.New("something stands behind the end line")
		case err != io.EOF:
			return line, false, fmt.Errorf("checksum mismatch: the file was changed after it was written (%v)", err)
		}
		r.closed = true
		line.End = a.End
	default:
		return line, false, nil
	}
	return line, true, nil
}

// sound reports what is wrong with an event, whose operation is known.
func (r *Reader) sound(e *Event) error {
	if e.File < 1 || e.File > r.end.Files || e.To < 0 || e.To > r.end.Files || e.Op.Two() != (e.To != 0) {
		return errors.New("an event names a file that was not declared")
	}
	if e.Process < 0 || e.Process > r.end.Processes {
		return errors.New("an event names a process that was not declared")
	}
	return nil
}

// opsByLength are the operations by the length of their names, of which few have the same.
var opsByLength = func() (list [16][]Op) {
	for op := range ops {
		list[len(op)] = append(list[len(op)], op)
	}
	return list
}()

// opNamed finds an operation without making a text of its name.
func opNamed(name []byte) (Op, bool) {
	if len(name) < len(opsByLength) {
		for _, op := range opsByLength[len(name)] {
			if string(name) == string(op) {
				return op, true
			}
		}
	}
	return "", false
}

// plainEvent reads an event as Writer writes it, which nearly all lines are. It is false
// for anything else: that is left to the JSON reader.
func plainEvent(raw []byte, e *Event) bool {
	rest, ok := bytes.CutPrefix(raw, []byte(`{"t":`))
	if !ok {
		return false
	}
	at, rest, ok1 := digits(rest, `,"p":`)
	process, rest, ok2 := digits(rest, `,"o":"`)
	end := bytes.IndexByte(rest, '"')
	if !ok1 || !ok2 || end < 0 {
		return false
	}
	op, known := opNamed(rest[:end])
	rest, ok3 := bytes.CutPrefix(rest[end:], []byte(`","f":`))
	if !known || !ok3 {
		return false
	}
	*e = Event{At: time.Duration(at), Process: int(process), Op: op}
	var file, to int64
	if file, rest, ok = digits(rest, ""); !ok {
		return false
	}
	e.File = int(file)
	if more, has := bytes.CutPrefix(rest, []byte(`,"to":`)); has {
		if to, rest, ok = digits(more, ""); !ok {
			return false
		}
		e.To = int(to)
	}
	if more, has := bytes.CutPrefix(rest, []byte(`,"size":`)); has {
		if e.Size, rest, ok = digits(more, ""); !ok {
			return false
		}
	}
	return len(rest) == 1 && rest[0] == '}'
}

// digits reads a number without a sign, of at most 18 digits and no needless zero, and
// what has to follow it.
func digits(b []byte, then string) (n int64, rest []byte, ok bool) {
	i := 0
	for i < len(b) && b[i] >= '0' && b[i] <= '9' {
		n = n*10 + int64(b[i]-'0')
		i++
	}
	if i == 0 || i > 18 || i > 1 && b[0] == '0' {
		return 0, b, false
	}
	rest = b[i:]
	if len(rest) < len(then) || string(rest[:len(then)]) != then {
		return 0, b, false
	}
	return n, rest[len(then):], true
}
