package origin

import (
	"archive/zip"
	"bufio"
	"bytes"
	"cmp"
	"compress/bzip2"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"
	"unicode/utf16"

	"github.com/coregx/ahocorasick"
	"github.com/klauspost/compress/zstd"
	"golang.org/x/sync/errgroup"
)

// Rank is how likely a file holds the names that a program makes: likelier ones first.
type Rank int

// The ranks of files.
const (
	Executable Rank = iota // what was run
	Script                 // code that was read
	Library                // code that was loaded
	Asset                  // whatever else came with the program
)

// File is a file of a program that can be searched.
type File struct {
	Path string
	Rank Rank
	Size int64
	Open func() (Handle, error)
}

// InMemory is a file whose content is at hand.
func InMemory(path string, rank Rank, data []byte) File {
	return File{path, rank, int64(len(data)), func() (Handle, error) { return inMemory{bytes.NewReader(data)}, nil }}
}

type inMemory struct{ *bytes.Reader }

func (inMemory) Close() error { return nil }

// Handle is an open file.
type Handle interface {
	io.ReaderAt
	io.Closer
}

// Budget bounds a search, beside the context's deadline. Zero stands for the default.
type Budget struct {
	Bytes   int64 // read, after unpacking; 8 GiB
	Workers int   // files that are searched at once; 4
}

const (
	defaultBytes = 8 << 30
	// defaultWorkers are not many: reading is soon what takes the time.
	defaultWorkers = 4
	// maxWords is how many words are looked for at once: names of files are bounded, and
	// their words with them.
	maxWords = 20_000
	// maxEntries is how many files of an archive are read, maxInflated how many bytes of
	// each, and maxDepth how many containers lie in each other.
	maxEntries  = 100_000
	maxInflated = 1 << 30
	maxDepth    = 2
	chunk       = 256 << 10
	// grace is how long the workers are waited for when the time is over.
	grace = 500 * time.Millisecond
)

// Unread is a file that was not searched, or not to its end.
type Unread struct {
	Path string `json:"path"`
	Why  string `json:"why"`
}

// Result is what a search found. It names files of the program: it is not sent.
type Result struct {
	Files  int      // searched
	Bytes  int64    // read, unpacked
	Unread []Unread // what was not searched
	found  map[string]string
	sought map[string]bool // what was looked for
	blind  bool            // code was not searched
	// expected is how many of the names that the program must hold were found.
	expected int
}

// Found reports whether a file of the program holds a word, and which.
func (r *Result) Found(word string) (path string, ok bool) {
	path, ok = r.found[word]
	return path, ok
}

var (
	errTime   = errors.New("the time for the search was over")
	errBytes  = errors.New("the bytes for the search were used up")
	errSilent = errors.New("it could not be read within the time for the search")
)

// search is what the workers of a search share. Files are begun in their order, each by one
// worker, so what is found does not depend on who is faster: of the files that hold a word the
// first counts.
type search struct {
	ctx   context.Context
	left  atomic.Int64 // bytes of the budget
	bytes atomic.Int64 // read
	files []File

	mu      sync.Mutex
	next    int            // the file that is begun next
	words   []string       // in the order given
	foundAt map[string]int // the first file that holds a word
	failed  []error        // by file: why it was not searched to its end; nil if it was
}

// worker searches one file after another.
type worker struct {
	*search
	at     int             // the file
	open   map[string]bool // not found in this file or one before it
	auto   *ahocorasick.Automaton
	of     []string // the word of each pattern
	wide   []bool   // whether the pattern is in UTF-16
	longer int      // bytes of the longest pattern
	chunks int      // of the file, so far
}

// Search looks for words, as Words makes them, in the files of a program: likely ones and
// small ones first, until all are found, the budget is used up or the context's deadline
// has come. Files that were not searched are listed. The error is the context's, if it was
// cancelled, or says that there are too many words.
func Search(ctx context.Context, words []string, files []File, b Budget) (*Result, error) {
	if len(words) > maxWords {
		return nil, fmt.Errorf("%d words; at most %d are looked for", len(words), maxWords)
	}
	s := &search{ctx: ctx, words: words, foundAt: map[string]int{}, files: slices.Clone(files)}
	s.left.Store(cmp.Or(b.Bytes, int64(defaultBytes)))
	slices.SortStableFunc(s.files, func(a, b File) int {
		return cmp.Or(cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Size, b.Size))
	})
	s.failed = make([]error, len(s.files))
	var g errgroup.Group
	for range min(cmp.Or(b.Workers, defaultWorkers), len(s.files)) {
		g.Go((&worker{search: s}).run)
	}
	ended := make(chan error, 1)
	go func() { ended <- g.Wait() }()
	select {
	case err := <-ended:
		if err != nil {
			return nil, err
		}
	case <-ctx.Done():
		// Whoever reads from a file system that answers nobody is not waited for.
		select {
		case <-ended:
		case <-time.After(grace):
		}
	}
	if errors.Is(ctx.Err(), context.Canceled) {
		return nil, ctx.Err()
	}
	return s.outcome(), nil
}

// outcome puts together what the workers found.
func (s *search) outcome() *Result {
	s.mu.Lock() // a worker may still be reading
	defer s.mu.Unlock()
	r := &Result{found: map[string]string{}, sought: map[string]bool{}, Bytes: s.bytes.Load()}
	for _, w := range s.words {
		r.sought[w] = true
	}
	for w, i := range s.foundAt {
		r.found[w] = s.files[i].Path
	}
	for i, f := range s.files[:s.next] {
		if err := s.failed[i]; err != nil {
			r.Unread = append(r.Unread, Unread{f.Path, err.Error()})
			r.blind = r.blind || f.Rank != Asset
			continue
		}
		r.Files++
	}
	if len(s.foundAt) == len(s.words) {
		return r // the other files need not be searched
	}
	for _, f := range s.files[s.next:] {
		r.Unread = append(r.Unread, Unread{f.Path, errTime.Error()})
		r.blind = r.blind || f.Rank != Asset
	}
	return r
}

// run searches files until none is left, or nothing is open any more.
func (w *worker) run() error {
	for w.begin() {
		if w.auto == nil || len(w.open) < len(w.of)/2 {
			if err := w.build(); err != nil {
				return err
			}
		}
		err := w.file(w.files[w.at])
		w.mu.Lock()
		w.failed[w.at] = err
		w.mu.Unlock()
	}
	return nil
}

// begin takes the next file; false if there is none to search.
func (w *worker) begin() bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.next == len(w.files) || errors.Is(w.ctx.Err(), context.Canceled) || len(w.words) == len(w.foundAt) {
		return false
	}
	w.at, w.chunks = w.next, 0
	w.failed[w.at] = errSilent // until it has been searched
	w.next++
	w.open = map[string]bool{}
	for _, x := range w.words {
		if _, found := w.foundAt[x]; !found {
			w.open[x] = true
		}
	}
	return true
}

// note records that the worker's file holds a word.
func (w *worker) note(word string) {
	delete(w.open, word)
	w.mu.Lock()
	defer w.mu.Unlock()
	if at, known := w.foundAt[word]; !known || w.at < at {
		w.foundAt[word] = w.at
	}
}

// forget leaves out the words that files before this one hold.
func (w *worker) forget() {
	w.mu.Lock()
	defer w.mu.Unlock()
	for word := range w.open {
		if at, known := w.foundAt[word]; known && at < w.at {
			delete(w.open, word)
		}
	}
}

// over says why the search ends here; nil if it goes on.
func (s *search) over() error {
	switch err := s.ctx.Err(); {
	case errors.Is(err, context.DeadlineExceeded):
		return errTime
	case err != nil:
		return err
	case s.left.Load() <= 0:
		return errBytes
	}
	return nil
}

// build makes the automaton for the words that are still open.
func (w *worker) build() error {
	w.of, w.wide, w.longer = nil, nil, 0
	var patterns [][]byte
	for _, x := range w.words {
		if !w.open[x] {
			continue
		}
		narrow, wide := []byte(x), inUTF16(x)
		patterns = append(patterns, narrow, wide)
		w.of, w.wide = append(w.of, x, x), append(w.wide, false, true)
		w.longer = max(w.longer, len(narrow), len(wide))
	}
	var err error
	w.auto, err = ahocorasick.NewBuilder().AddPatterns(patterns).SetMatchKind(ahocorasick.LeftmostFirst).Build()
	if err != nil {
		return fmt.Errorf("look for %d words: %w", len(patterns), err)
	}
	return nil
}

func inUTF16(text string) []byte {
	var out []byte
	for _, u := range utf16.Encode([]rune(text)) {
		out = append(out, byte(u), byte(u>>8))
	}
	return out
}

// file searches a file. The error says why it was not searched to its end.
func (w *worker) file(f File) error {
	if err := w.over(); err != nil {
		return err
	}
	h, err := f.Open()
	if err != nil {
		return fmt.Errorf("it could not be opened: %w", err)
	}
	defer h.Close() //nolint:errcheck // read only
	return w.content(io.NewSectionReader(h, 0, f.Size), f.Rank == Executable, 0)
}

// content searches bytes, and what is packed in them.
func (w *worker) content(r *io.SectionReader, executable bool, depth int) error {
	head := make([]byte, 64<<10)
	n, err := r.ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return fmt.Errorf("it could not be read: %w", err)
	}
	head = head[:n]
	if depth < maxDepth {
		if z, err := zip.NewReader(r, r.Size()); err == nil { // also behind a program
			if err := w.scan(io.NewSectionReader(r, 0, min(r.Size(), 16<<20))); err != nil {
				return err
			}
			return w.archive(z, depth)
		}
		if unpacked := unpack(head, io.NewSectionReader(r, 0, r.Size())); unpacked != nil {
			return w.scan(io.LimitReader(unpacked, maxInflated))
		}
	}
	if dense(head) {
		if executable {
			return errors.New("it looks packed or encrypted: names in it cannot be read")
		}
		return errors.New("it is compressed or encrypted in a way that is not known here")
	}
	return w.scan(io.NewSectionReader(r, 0, r.Size()))
}

// unpack opens a stream that is compressed as a whole, by its first bytes; nil if it is not.
func unpack(head []byte, r io.Reader) io.Reader {
	switch {
	case bytes.HasPrefix(head, []byte{0x1f, 0x8b, 8}): // RFC 1952
		if z, err := gzip.NewReader(bufio.NewReader(r)); err == nil {
			return z
		}
	case bytes.HasPrefix(head, []byte("BZh")):
		return bzip2.NewReader(bufio.NewReader(r))
	case bytes.HasPrefix(head, []byte{0x28, 0xb5, 0x2f, 0xfd}): // RFC 8878
		if z, err := zstd.NewReader(r, zstd.WithDecoderMaxMemory(256<<20), zstd.WithDecoderConcurrency(1)); err == nil {
			return z
		}
	}
	return nil
}

// archive searches the files of a zip archive, and their names.
func (w *worker) archive(z *zip.Reader, depth int) error {
	for i, e := range z.File {
		if i == maxEntries {
			return fmt.Errorf("only the first %d files in it were searched", maxEntries)
		}
		if err := w.scan(bytes.NewReader([]byte(e.Name))); err != nil {
			return err
		}
		if e.UncompressedSize64 == 0 || e.FileInfo().IsDir() || len(w.open) == 0 {
			continue
		}
		r, err := e.Open()
		if err != nil {
			continue // an entry that is damaged or encrypted: the others are searched
		}
		err = w.scan(io.LimitReader(r, maxInflated))
		_ = r.Close()
		if w.over() != nil {
			return err
		}
	}
	return nil
}

// scan looks for the words in a stream.
func (w *worker) scan(r io.Reader) error {
	keep := w.longer + leastText + 8
	buf := make([]byte, 0, chunk+2*keep)
	raw := make([]byte, chunk)
	for first := true; ; first = false {
		if err := w.over(); err != nil {
			return err
		}
		n, err := io.ReadFull(r, raw)
		w.left.Add(-int64(n))
		w.bytes.Add(int64(n))
		if len(buf) > keep {
			buf = append(buf[:0], buf[len(buf)-keep:]...)
		}
		buf = append(buf, lower(raw[:n])...)
		if n > 0 {
			w.chunk(buf)
		}
		if w.chunks++; w.chunks%64 == 0 {
			w.forget()
		}
		if len(w.open) == 0 {
			return nil
		}
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			return nil
		}
		if err != nil {
			if first {
				return fmt.Errorf("it could not be read: %w", err)
			}
			return fmt.Errorf("it could be read in part alone: %w", err)
		}
	}
}

func lower(b []byte) []byte {
	for i, c := range b {
		if c >= 'A' && c <= 'Z' {
			b[i] = c + 'a' - 'A'
		}
	}
	return b
}

// chunk notes the words that a piece holds.
func (w *worker) chunk(b []byte) {
	for _, m := range w.auto.FindAllOverlapping(b) {
		x := w.of[m.PatternID]
		wide, short := w.wide[m.PatternID], letters(x)+digits(x) <= shortWord && !strings.ContainsAny(x, "%{}")
		if w.open[x] && !inSentence(b, m.Start, m.End, wide, x) && (letters(x) >= longWord || stands(b, m.Start, m.End, wide, short)) {
			w.note(x)
		}
	}
}

// inSentence reports whether words with spaces between them are part of a longer text: "New
// World" is none in "Create a new world".
func inSentence(b []byte, from, to int, wide bool, text string) bool {
	if !strings.Contains(text, " ") {
		return false
	}
	step := 1
	if wide {
		step = 2
	}
	letterAt := func(i int) bool { return i >= 0 && i < len(b) && (b[i] >= 'a' && b[i] <= 'z' || b[i] == ',') }
	spaceAt := func(i int) bool { return i >= 0 && i < len(b) && b[i] == ' ' }
	return spaceAt(from-step) && letterAt(from-2*step) || spaceAt(to) && letterAt(to+step)
}

// stands reports whether bytes stand as a word of their own: no letter goes on at either
// end, unless it is the conversion of a format (%s, %02d). A short word needs a separator on
// both sides too, as in a path, a format or a text of its own, or a longer printable text
// around it.
func stands(b []byte, from, to int, wide, short bool) bool {
	step := 1
	if wide {
		step = 2
	}
	outside := byte(0)
	at := func(i int) byte {
		if i < 0 || i+step > len(b) {
			return outside
		}
		if wide && b[i+1] != 0 {
			return 0xff // of another script
		}
		return b[i]
	}
	letter := func(c byte) bool { return c >= 'a' && c <= 'z' || c >= 0x80 && !wide }
	before, after := at(from-step), at(to)
	formatted := letter(before) && conversion(at, from-step, step)
	digit := func(c byte) bool { return c >= '0' && c <= '9' }
	if first := at(from); letter(first) && letter(before) && !formatted || digit(first) && digit(before) {
		return false
	}
	if last := at(to - step); letter(last) && letter(after) || digit(last) && digit(after) {
		return false
	}
	if !short || (formatted || separates(before)) && separates(after) {
		return true
	}
	printable := func(c byte) bool { return c >= ' ' && c <= '~' }
	n := (to - from) / step
	for i := from - step; printable(at(i)); i -= step {
		n++
	}
	for i := to; printable(at(i)); i += step {
		n++
	}
	return n >= leastText
}

// separates reports whether a byte ends a word in a path, a format or a list of texts. Two of
// them around three letters stand in 100 MB of random bytes less than once in ten times.
func separates(c byte) bool {
	switch c {
	case 0, '\n', '\t', '"', '\'', '/', '\\', '.', '%', '_', '-', ' ', '{', '}':
		return true
	}
	return false
}

// conversion reports whether a letter ends the conversion of a format, such as %s, %02d or
// %ld (printf(3)).
func conversion(at func(int) byte, i, step int) bool {
	for j := 1; j <= 6; j++ {
		switch c := at(i - j*step); {
		case c == '%':
			return true
		case c >= '0' && c <= '9', c == '.', c == '-', c == 'l', c == 'h', c == 'z':
		default:
			return false
		}
	}
	return false
}

// dense reports whether bytes look compressed or encrypted: they carry more than 7.8 of 8
// bits each (Shannon's entropy).
func dense(b []byte) bool {
	if len(b) < 4096 {
		return false
	}
	var counts [256]int
	for _, c := range b {
		counts[c]++
	}
	h := 0.0
	for _, n := range counts {
		if n > 0 {
			p := float64(n) / float64(len(b))
			h -= p * math.Log2(p)
		}
	}
	return h > 7.8
}
