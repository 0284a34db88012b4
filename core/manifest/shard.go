package manifest

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/klauspost/compress/zstd"
)

// Titles are published in shards, each a file of its own. A shard is named by a string of
// binary digits, and holds the titles whose ids, written in binary, begin with it; the
// first shard, for a small record, has no digits and is called "all". The names of the
// shards of a revision are such that each id belongs to exactly one. A shard that has
// become too large is split in two, by one digit more; shards are never joined.
const (
	// SplitAbove is how many titles a shard may hold before it is split.
	SplitAbove = 128
	// splitAboveBytes is the same for the size of its document, uncompressed.
	splitAboveBytes = 1 << 20
	// MaxShard bounds the document of a shard, uncompressed: one title, or splitAboveBytes.
	MaxShard = MaxTitle + 64<<10
	// MaxDigits bounds the name of a shard, which ends where ids do.
	MaxDigits = 4 * idLength
)

// AllTitles is the name of the one shard of a small record.
const AllTitles = "all"

// Shard is a published file of titles.
type Shard struct {
	Format  string         `json:"format"`
	Shard   string         `json:"shard"`
	Titles  []Title        `json:"titles"` // by id
	Unknown jsontext.Value `json:",unknown"`
}

// InShard reports whether an id belongs to a shard.
func InShard(shard, id string) bool {
	return CheckID(id) == "" && strings.HasPrefix(binary(id), digits(shard))
}

// CheckShard says what is wrong with a shard's name; empty if nothing is.
func CheckShard(shard string) string {
	if d := digits(shard); shard == "" || len(d) > MaxDigits || strings.Trim(d, "01") != "" {
		return fmt.Sprintf("%.80q is not the name of a shard: it must be %q, or binary digits", shard, AllTitles)
	}
	return ""
}

func digits(shard string) string {
	if shard == AllTitles {
		return ""
	}
	return shard
}

// binary writes hexadecimal digits as binary ones.
func binary(hex string) string {
	var b strings.Builder
	for i := range len(hex) {
		n := strings.IndexByte("0123456789abcdef", hex[i])
		for bit := 3; bit >= 0; bit-- {
			b.WriteByte("01"[n>>bit&1])
		}
	}
	return b.String()
}

// Bounds are the smallest and the greatest id that belong to a shard.
func Bounds(shard string) (first, last string) {
	d := digits(shard)
	hex := func(fill string) string {
		all := d + strings.Repeat(fill, MaxDigits-len(d))
		var b strings.Builder
		for i := 0; i < len(all); i += 4 {
			n := 0
			for _, c := range all[i : i+4] {
				n = n<<1 | int(c-'0')
			}
			b.WriteByte("0123456789abcdef"[n])
		}
		return b.String()
	}
	return hex("0"), hex("1")
}

// Halves are the two shards that one is split into.
func Halves(shard string) (string, string) { return digits(shard) + "0", digits(shard) + "1" }

// ShardOf is which of a revision's shards an id belongs to; empty if it is none of them.
func ShardOf(shards map[string]bool, id string) string {
	b := binary(id)
	for n := range len(b) + 1 {
		name := b[:n]
		if n == 0 {
			name = AllTitles
		}
		if shards[name] {
			return name
		}
	}
	return ""
}

// Cover says what is wrong with the shards of a revision: each id has to belong to exactly
// one. It is nil if nothing is.
func Cover(shards []string) error {
	type span struct {
		shard       string
		first, last uint64
	}
	var spans []span
	for _, s := range shards {
		if reason := CheckShard(s); reason != "" {
			return errors.New(reason)
		}
		first, last := Bounds(s)
		spans = append(spans, span{s, number(first), number(last)})
	}
	slices.SortFunc(spans, func(a, b span) int { return cmp.Compare(a.first, b.first) })
	next, open := uint64(0), true
	for _, s := range spans {
		if !open || s.first != next {
			return fmt.Errorf("the shards leave out or repeat titles at %s", s.shard)
		}
		next, open = s.last+1, s.last != math.MaxUint64
	}
	if open {
		return errors.New("the shards leave out the last titles")
	}
	return nil
}

func number(id string) uint64 {
	n, _ := strconv.ParseUint(id, 16, 64) // it is hexadecimal
	return n
}

// NeedsSplit reports whether a shard's document is too large.
func NeedsSplit(titles, size int) bool {
	return titles > SplitAbove || titles > 1 && size > splitAboveBytes
}

// WriteShard makes a shard of titles' canonical documents, which stand in the order of
// their ids. It gives the document and its compressed form, which is what is published.
func WriteShard(shard string, titles [][]byte) (document, compressed []byte, err error) {
	var b bytes.Buffer
	fmt.Fprintf(&b, `{"format":%q,"shard":%q,"titles":[`, Format, shard)
	b.Write(bytes.Join(titles, []byte{','}))
	b.WriteString("]}")
	return b.Bytes(), Compress(b.Bytes()), nil
}

// The encoder and the decoder serve all: making one takes longer than its work on a shard.
var (
	encoder = sync.OnceValue(func() *zstd.Encoder {
		e, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedDefault), zstd.WithWindowSize(1<<20), zstd.WithEncoderConcurrency(2))
		if err != nil {
			panic(err) // the options are constant
		}
		return e
	})
	decoder = sync.OnceValue(func() *zstd.Decoder {
		d, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(0), zstd.WithDecoderMaxMemory(maxExpanded), zstd.WithDecoderLowmem(true))
		if err != nil {
			panic(err)
		}
		return d
	})
)

// maxExpanded bounds what anything decompresses to, in bytes; callers ask for less.
const maxExpanded = 64 << 20

// Compress compresses a document to be published.
func Compress(document []byte) []byte { return encoder().EncodeAll(document, nil) }

// Expand decompresses a published document, which must not become larger than most bytes.
func Expand(compressed []byte, most int) ([]byte, error) {
	var h zstd.Header
	if err := h.Decode(compressed); err == nil && h.HasFCS && h.FrameContentSize > uint64(most) {
		return nil, fmt.Errorf("%w: it decompresses to more than %d bytes", ErrFormat, most)
	}
	out, err := decoder().DecodeAll(compressed, make([]byte, 0, min(most, 4*len(compressed)+512)))
	if errors.Is(err, zstd.ErrDecoderSizeExceeded) || len(out) > most {
		return nil, fmt.Errorf("%w: it decompresses to more than %d bytes", ErrFormat, most)
	}
	if err != nil {
		return nil, fmt.Errorf("%w: decompress: %w", ErrFormat, err)
	}
	return out, nil
}

// ReadShard reads a published shard and checks its form: that it is the one of that name,
// and that each title is sound and belongs to it. Each location is parsed, and refused,
// where it is used. What is wrong is an ErrFormat.
func ReadShard(shard string, compressed []byte) (*Shard, error) {
	document, err := Expand(compressed, MaxShard)
	if err != nil {
		return nil, fmt.Errorf("shard %s: %w", shard, err)
	}
	bad := func(err error) error { return fmt.Errorf("shard %s: %w: %w", shard, ErrFormat, err) }
	s := &Shard{}
	if err := Decode(document, s); err != nil {
		return nil, bad(err)
	}
	if s.Format != Format {
		return nil, bad(fmt.Errorf("its format is %.40q, not %s", s.Format, Format))
	}
	if s.Shard != shard {
		return nil, bad(fmt.Errorf("it is shard %.80q", s.Shard))
	}
	last := ""
	for i := range s.Titles {
		t := &s.Titles[i]
		if err := t.Check(); err != nil {
			return nil, bad(fmt.Errorf("title %d: %w", i+1, err))
		}
		if t.ID <= last {
			return nil, bad(fmt.Errorf("title %d (%s) is out of order", i+1, t.ID))
		}
		if !InShard(shard, t.ID) {
			return nil, bad(fmt.Errorf("title %s belongs to another shard", t.ID))
		}
		last = t.ID
	}
	return s, nil
}

// Shards makes the shards of titles, as a first revision has them, by name.
func Shards(titles []Title) (map[string][]byte, error) {
	titles = slices.Clone(titles)
	slices.SortFunc(titles, func(a, b Title) int { return strings.Compare(a.ID, b.ID) })
	docs := make([][]byte, len(titles))
	for i := range titles {
		var err error
		if docs[i], err = Canonical(titles[i]); err != nil {
			return nil, err
		}
	}
	out := map[string][]byte{}
	var split func(shard string, from, to int) error
	split = func(shard string, from, to int) error {
		size := 0
		for _, d := range docs[from:to] {
			size += len(d) + 1
		}
		if NeedsSplit(to-from, size) {
			a, b := Halves(shard)
			_, last := Bounds(a)
			middle := from
			for middle < to && titles[middle].ID <= last {
				middle++
			}
			if err := split(a, from, middle); err != nil {
				return err
			}
			return split(b, middle, to)
		}
		_, data, err := WriteShard(shard, docs[from:to])
		out[shard] = data
		return err
	}
	return out, split(AllTitles, 0, len(titles))
}
