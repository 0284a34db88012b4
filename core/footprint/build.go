package footprint

import (
	"path"
	"slices"
	"sort"
	"strings"
	"time"

	"endroit/core/place"
	"endroit/core/trace"
)

// FromTrace reads a whole trace. Its memory grows with files, not with events.
func FromTrace(r *trace.Reader) (*Footprint, error) { return FromTraceOnly(r, Filter{}) }

// maxTimes is how many write times are kept of one file: the first ones, and
// the last in the final place.
const maxTimes = 256

// record gathers what is known of one file.
type record struct {
	file       trace.File
	after      *trace.State
	appends    int // openings at the end
	creates    int // openings that made it
	reads      int
	writes     int
	firstRead  time.Duration
	lastRead   time.Duration
	writeTimes []time.Duration
	sizes      []int64 // found while it was observed
	process    int     // that wrote it first, or else read it first
	programs   []int   // processes that wrote it
	created    bool    // in this run
	unused     int     // times it was opened for writing, and nothing was written
	removedAt  time.Duration
	removed    bool
	via        *record // the name under which its content was written
	becomes    *record // the name that it was given
	backupOf   *record // it took over this file's old content
	holds      *record // whose content it has now, which was renamed to it
	readAs     int     // times that its content was read under another name
	unobserved bool    // it changed, and no observed program wrote it
	positions  int     // times that it was found further on in a file held open
	rewound    int     // times that it was found to go back in it
	missed     bool    // it was looked for and not there
	reached    string  // another path that led to it
	picked     bool    // an event of it counts for the filter

	readStrokes, writeStrokes strokes
}

type builder struct {
	windows   string // the Windows program of a run in a prefix, if it is one alone
	only      Filter
	h         trace.Header
	fp        *Footprint
	files     []*record // by number, from 1
	processes []trace.Process
	isCommand []bool              // of each process: it is the command itself
	prefix    *inPrefix           // nil for native programs
	byPath    map[string]*record  // in a prefix one file is seen by several ways
	roots     map[int]place.Roots // by process
	exit      time.Duration       // of the command
	command   int                 // how many events are the command's own
	others    int                 // how many are of what it started
	othersEnd time.Duration       // the last of them
	gameEnd   time.Duration       // when the game ended, which a launcher outlives
	last      time.Duration
	madeFrom  map[*record]string // files that can be made again, and from what
}

func newBuilder(h trace.Header) *builder {
	return &builder{
		h:         h,
		prefix:    newInPrefix(h.Prefix),
		byPath:    map[string]*record{},
		files:     []*record{nil},
		processes: []trace.Process{{}},
		isCommand: []bool{false},
		roots:     map[int]place.Roots{},
		fp: &Footprint{
			Format:   Format,
			Title:    h.Title,
			Edition:  h.Edition,
			Launcher: h.Launcher,
			OS:       h.OS,
			Runtime:  h.Runtime,
			Observer: h.Observer,
			Started:  h.Started,
			Programs: []string{},
			Cues:     []trace.Cue{},
			Gaps:     []trace.Gap{},
			Counts:   map[Kind]int{},
			Files:    []File{},
			Self:     selfOf(h),
		},
	}
}

func selfOf(h trace.Header) *Self {
	s := &Self{User: h.User, Host: h.Host, Home: h.Env["HOME"], Chosen: h.Chosen}
	if s.Home == "" {
		s.Home = h.Roots[string(place.Home)]
	}
	if h.Account != nil {
		s.Account = h.Account.ID
	}
	if h.Prefix != nil {
		s.Inside = h.Prefix.User
	}
	return s
}

func (b *builder) line(l trace.Line) {
	switch {
	case l.File != nil:
		b.files = append(b.files, b.declare(*l.File))
	case l.Known != nil:
		b.files[l.Known.File].file.Before = l.Known.State
	case l.Reached != nil:
		if f := b.files[l.Reached.File]; f.reached == "" {
			f.reached = l.Reached.Path
		}
	case l.After != nil:
		b.files[l.After.File].after = &l.After.State
	case l.Process != nil:
		b.processes = append(b.processes, *l.Process)
		b.isCommand = append(b.isCommand, l.Process.Identity() == b.processes[1].Identity())
	case l.Event != nil:
		b.event(*l.Event)
	case l.Cue != nil:
		b.fp.Cues = append(b.fp.Cues, *l.Cue)
		b.last = max(b.last, l.Cue.At)
	case l.Gap != nil:
		b.fp.Gaps = append(b.fp.Gaps, *l.Gap)
	case l.Exit != nil:
		if l.Exit.Process == 1 {
			b.exit = l.Exit.At
		}
		b.last = max(b.last, l.Exit.At)
	case l.End != nil:
		b.last = max(b.last, l.End.At)
	}
}

// declare makes the record of a file, or finds that of another way to it.
func (b *builder) declare(f trace.File) *record {
	if b.prefix != nil {
		f.Path = b.prefix.host(f.Path)
		if known := b.byPath[f.Path]; known != nil {
			return known
		}
	}
	r := &record{file: f, created: f.Before.Is == trace.IsAbsent}
	if b.prefix != nil {
		b.byPath[f.Path] = r
	}
	return r
}

func (b *builder) event(e trace.Event) {
	b.fp.Events++
	b.last = max(b.last, e.At)
	f := b.files[e.File]
	switch e.Op {
	case trace.Append:
		f.appends++
	case trace.Create:
		f.creates++
	}
	if b.only.byEvents() {
		b.pick(e)
	}
	b.countFor(e)
	switch {
	case f.file.IsKey():
		f.writes++
		f.wroteAt(e.At)
		if f.removed = e.Op == trace.Remove; f.removed {
			f.removedAt = e.At
		}
	case e.Op == trace.Position:
		f.positions++
		if e.What == "back" {
			f.rewound++
		}
		b.writtenSince(f, e)
	case e.Op == trace.Missed:
		f.missed = true
	case e.Op == trace.Read:
		f.readAt(e)
		f.readAsOthers()
	case e.Op == trace.Changed:
		f.sizes = appendCapped(f.sizes, e.Size)
		f.unobserved = f.unobserved || e.What == trace.Unobserved
		b.writtenSince(f, e)
	case e.Op.Writes():
		if e.What == trace.BothWays {
			f.readAt(e)
			f.readAsOthers()
		}
		b.written(f, e)
		f.removed, f.holds = false, nil
	case e.Op == trace.Rename || e.Op == trace.Exchange || e.Op == trace.Link:
		if b.h.Observer == trace.ByCalls && !f.there() {
			return // a call is told before it is made: this one failed
		}
		b.renamed(f, b.files[e.To], e)
	case e.Op == trace.Remove:
		f.removed, f.removedAt = true, e.At
		if f.process == 0 {
			f.process = e.Process
		}
	}
}

// countFor counts an event for the command, or for what it started.
func (b *builder) countFor(e trace.Event) {
	switch {
	case e.Process <= 0:
	case b.isCommand[e.Process]:
		b.command++
	default:
		b.others++
		b.othersEnd = e.At
	}
}

// endOfGame is when the game ended: with the command, unless that is a launcher. Most of what
// was done is then done by what it started, which goes on for most of the time.
func (b *builder) endOfGame() time.Duration {
	if b.others > b.command && b.othersEnd > b.exit/2 {
		return b.othersEnd
	}
	return b.exit
}

// readAt notes an opening for reading.
func (f *record) readAt(e trace.Event) {
	if f.reads == 0 {
		f.firstRead = e.At
	}
	f.reads++
	f.readStrokes.add(e.At)
	f.lastRead = max(f.lastRead, e.At)
	if f.process == 0 {
		f.process = e.Process
	}
}

// writtenSince notes the time of a change that was found: the opening that caused it
// is usually known, and a change long after is a file that stayed open.
func (b *builder) writtenSince(f *record, e trace.Event) {
	if n := len(f.writeTimes); n == 0 || e.At-f.writeTimes[n-1] > time.Second {
		f.wroteAt(e.At)
	}
}

// maxRenames bounds how often content is followed from name to name.
const maxRenames = 8

// readAsOthers notes a reading of what was renamed to this name for the names that it had.
func (f *record) readAsOthers() {
	for n, was := 0, f.holds; was != nil && n < maxRenames; n, was = n+1, was.holds {
		was.readAs++
	}
}

func (f *record) wroteAt(at time.Duration) {
	f.writeTimes = appendCapped(f.writeTimes, at)
	f.writeStrokes.add(at)
}

func (b *builder) written(f *record, e trace.Event) {
	f.writes++
	f.wroteAt(e.At)
	if f.writes == 1 {
		f.process = e.Process
	}
	for _, p := range f.programs {
		if p == e.Process {
			return
		}
	}
	if len(f.programs) < 8 {
		f.programs = append(f.programs, e.Process)
	}
}

// there reports whether the file can be there, by what was seen of it so far.
func (f *record) there() bool {
	seen := f.writes > 0 || f.positions > 0 || len(f.sizes) > 0 || f.via != nil || f.backupOf != nil
	return !f.removed && (seen || f.file.Before.Is != trace.IsAbsent)
}

// renamed carries what was written under one name over to the other: saving
// through a temporary name is writing the final file, and moving the old file
// aside first makes a backup.
func (b *builder) renamed(from, to *record, e trace.Event) {
	switch {
	case e.Op == trace.Exchange:
		b.written(from, e)
		b.written(to, e)
		return
	case from.writes > 0 && from.backupOf == nil && from.via == nil && (from.created || from.removed):
		to.holds = nil
		to.via, from.becomes = from, to
		b.written(to, e)
	case from.writes > 0 && from.becomes != nil:
		to.holds = nil
		to.via, from.becomes = from, to // the same temporary name once more
		b.written(to, e)
	default:
		to.backupOf = from
		b.written(to, e)
		to.holds = from // it is what was there before
	}
	to.removed = false
	if e.Op == trace.Rename {
		from.removed, from.removedAt = true, e.At
	}
}

func appendCapped[T any](list []T, v T) []T {
	if len(list) == maxTimes {
		list[maxTimes-1] = v
		return list
	}
	return append(list, v)
}

// finish judges every file and puts those of interest first.
func (b *builder) finish() *Footprint {
	if b.exit == 0 {
		b.exit = b.last
	}
	b.fp.Length, b.gameEnd = b.last, b.endOfGame()
	seen := map[string]bool{}
	b.fp.Code = &Code{Install: b.h.Install}
	for _, p := range b.processes[1:] {
		if p.Exe != "" && !isWine(path.Base(p.Exe)) && !slices.Contains(b.fp.Code.Executables, p.Exe) {
			b.fp.Code.Executables = append(b.fp.Code.Executables, p.Exe)
		}
		if name := nameOfProgram(p); p.Exe != "" && !seen[name] {
			seen[name] = true
			b.fp.Programs = append(b.fp.Programs, name)
		}
	}
	b.windows = windowsProgram(b.processes[1:])
	if b.windows != "" { // the server opens files for it
		b.fp.Programs = slices.DeleteFunc(b.fp.Programs, isWine)
	}
	b.madeFrom = b.remade()
	done := map[*record]bool{}
	for _, f := range b.files[1:] {
		if done[f] {
			continue
		}
		done[f] = true
		if f.missed && len(b.fp.looked) < maxLooked {
			if at := b.placeOf(f); at != "" {
				b.fp.looked = append(b.fp.looked, at)
			}
		}
		f.settle()
		if !b.counts(f) {
			continue
		}
		out := b.judge(f)
		out.passed = b.only.byEvents() && !f.picked
		b.fp.Files = append(b.fp.Files, out)
	}
	fromKin(b.fp.Files)
	for _, x := range b.fp.Files {
		b.fp.Counts[x.Kind]++
	}
	sortFiles(b.fp.Files)
	return b.fp
}

// sortFiles puts those of interest first.
func sortFiles(files []File) {
	order := map[Kind]int{}
	for i, k := range Kinds {
		order[k] = i
	}
	sort.SliceStable(files, func(i, j int) bool {
		x, y := files[i], files[j]
		if x.Kind != y.Kind {
			return order[x.Kind] < order[y.Kind]
		}
		return x.Path < y.Path
	})
}

// settle takes back writes that changed nothing: a file that is afterwards, to
// the time of its last change, what it was before was only opened for writing.
// The kernel may have refused that, which a call that goes on does not tell.
func (f *record) settle() {
	before, after := f.file.Before, f.after
	if f.writes == 0 || f.file.IsKey() || after == nil || len(f.sizes) > 0 || f.positions > 0 || f.via != nil ||
		f.backupOf != nil ||
		before.Is != trace.IsFile ||
		after.Is != trace.IsFile {
		return
	}
	if before.Time.IsZero() || !before.Time.Equal(after.Time) || before.Size != after.Size ||
		before.Digest != "" && after.Digest != "" && before.Digest != after.Digest {
		return
	}
	f.unused, f.writes, f.writeTimes = f.writes, 0, nil
}

// counts reports whether a path belongs in the footprint: a folder, a path that
// was only looked for, and a program that was only run do not.
func (b *builder) counts(f *record) bool {
	if f.file.Before.Is == trace.IsFolder || f.after != nil && f.after.Is == trace.IsFolder {
		return false
	}
	return f.reads > 0 || f.writes > 0 || f.unused > 0 || f.removed || len(f.sizes) > 0 || f.positions > 0
}

// maxLooked bounds how many places are kept in which a run looked for a file in vain.
const maxLooked = 100_000

// placeOf is where a path is as a location; empty below no anchor.
func (b *builder) placeOf(f *record) string {
	v := &view{record: f, b: b, state: f.file.Before, base: strings.ToLower(path.Base(f.file.Path))}
	if v.place(); !v.placed {
		return ""
	}
	return place.Of(v.anchor, v.names, f.file.IsKey()).String()
}

// rootsOf resolves anchors with the variables of the process that used the file.
func (b *builder) rootsOf(process int) place.Roots {
	if r, ok := b.roots[process]; ok {
		return r
	}
	env := b.h.Env
	if e := b.processes[process].Env; e != nil {
		env = e
	}
	r := place.LinuxRoots(env)
	if b.h.Roots != nil {
		if b.h.OS != "linux" {
			r = place.Roots{}
		}
		for anchor, folder := range b.h.Roots {
			if d, ok := place.Define(place.Anchor(anchor)); b.h.OS != "linux" || ok && env[d.Variable] == "" {
				r[place.Anchor(anchor)] = path.Clean(folder)
			}
		}
	}
	if b.h.Prefix != nil {
		// A Windows build knows Windows' folders alone; what it keeps in others is
		// none of its own.
		r = place.Roots{}
		for anchor, folder := range b.h.Prefix.Roots {
			r[place.Anchor(anchor)] = path.Clean(folder)
		}
	}
	if b.h.Account != nil && b.h.Account.Folder != "" {
		r[place.AccountData] = path.Clean(b.h.Account.Folder)
	}
	if b.h.Install != "" {
		r[place.Install] = path.Clean(b.h.Install)
	}
	b.roots[process] = r
	return r
}

func (b *builder) judge(f *record) File {
	out := File{
		Path:      f.file.Path,
		Reads:     f.reads,
		Writes:    f.writes,
		Changes:   len(f.sizes),
		Unused:    f.unused,
		ReadAs:    f.readAs,
		FirstRead: f.firstRead,
		LastRead:  f.lastRead,
		Before:    f.file.Before,
	}
	if f.after != nil {
		out.After = *f.after
	} else {
		out.After = f.file.Before
	}
	if was := f.file.Before; f.file.At > 0 && was.Is == trace.IsFile && was.Time.After(b.h.Started) {
		out.Seen = f.file.At
	}
	if n := len(f.writeTimes); n > 0 {
		out.FirstWrite, out.LastWrite = f.writeTimes[0], f.writeTimes[n-1]
	}
	programs := f.programs
	if len(programs) == 0 && f.process > 0 {
		programs = []int{f.process}
	}
	for _, p := range programs {
		name := nameOfProgram(b.processes[p])
		if isWine(name) && b.windows != "" {
			name = b.windows
		}
		if name != "." && !slices.Contains(out.Programs, name) {
			out.Programs = append(out.Programs, name)
		}
	}
	v := &view{record: f, b: b, state: out.After, base: strings.ToLower(path.Base(f.file.Path))}
	v.ext = path.Ext(v.base)
	v.place()
	if v.placed {
		out.Place = place.Of(v.anchor, v.names, f.file.IsKey()).String()
	}
	if b.prefix != nil && !f.file.IsKey() {
		out.Inside = b.prefix.inside(v, b.h.Prefix.Inside)
	}
	if out.Inside == "" { // else that says how it was reached
		out.Reached = f.reached
	}
	v.near = b.cuesNear(f)
	out.Near = v.near
	out.Lane = f.lane()
	out.Findings = v.findings()
	out.Kind, out.Confidence, out.Reasons = Decide(out.Findings)
	return out
}

// A cue is marked after the thing was done, so writes count that lie up to
// cueBefore before it, though not before the previous cue, or cueAfter after it,
// if they are nearer to it than to what comes next.
const (
	cueBefore = 20 * time.Second
	cueAfter  = time.Second
)

// reading are the cues for what a program does without writing.
var reading = map[string]bool{"ready": true, "loaded": true}

func (b *builder) cuesNear(f *record) (near []string) {
	for i, c := range b.fp.Cues {
		if reading[c.Word] || slices.Contains(near, c.Word) {
			continue
		}
		from, next := c.At-cueBefore, b.exit
		if i > 0 {
			from = max(from, b.fp.Cues[i-1].At)
		}
		if i+1 < len(b.fp.Cues) {
			next = b.fp.Cues[i+1].At
		}
		to := c.At + max(0, min(cueAfter, (next-c.At)/2))
		for _, t := range f.writeTimes {
			if t > from && t <= to {
				near = append(near, c.Word)
				break
			}
		}
	}
	return near
}
