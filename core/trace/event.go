package trace

import (
	"path"
	"strings"
	"time"
)

// Op is what a call did to a file, as far as the call and the state of the file
// before it tell.
type Op string

// The operations. Whether an opening succeeded is inferred from the state
// before it; the state at the end shows what became of it.
const (
	Read         Op = "read"          // opened for reading
	Missed       Op = "missed"        // opened for reading or changing, and it was not there
	Create       Op = "create"        // made by opening it for writing
	Replace      Op = "replace"       // opened for writing, emptied first
	Update       Op = "update"        // opened for writing in place
	Append       Op = "append"        // opened for writing at the end
	Truncate     Op = "truncate"      // cut or extended by name
	Rename       Op = "rename"        // given another name (To), replacing what was there
	Exchange     Op = "exchange"      // swapped with another name (To)
	Link         Op = "link"          // given a second name (To)
	Symlink      Op = "symlink"       // made as a symbolic link
	Remove       Op = "remove"        // its name removed
	MakeFolder   Op = "make-folder"   // made as a folder
	RemoveFolder Op = "remove-folder" // an empty folder removed
	List         Op = "list"          // opened as a folder
	Run          Op = "run"           // executed
	Changed      Op = "changed"       // found changed in size, time or, of a registry key, values
	Position     Op = "position"      // found open for writing, further on (or back) in the file than before
)

// ops says which operations there are and whether they write to File.
var ops = map[Op]struct{ writes, two bool }{
	Read: {}, Missed: {}, List: {}, Run: {},
	Create: {writes: true}, Replace: {writes: true}, Update: {writes: true}, Append: {writes: true},
	Truncate: {writes: true}, Changed: {writes: true},
	Rename: {two: true}, Exchange: {two: true}, Link: {two: true},
	Symlink: {}, Remove: {}, MakeFolder: {}, RemoveFolder: {}, Position: {},
}

// The observers, as headers name them.
const (
	ByCalls         = "seccomp user notification"
	ByNotifications = "change notifications"
	BySystem        = "fanotify"
	ByLog           = "a log of another program"
)

// Unobserved is What of a change that no observed program made: another did, perhaps
// on the observed one's behalf.
const Unobserved = "no observed program wrote it"

// WithFolder is What of a rename that moved a file since a folder above it was renamed.
const WithFolder = "with its folder"

// BothWays is What of an opening for writing that was for reading too.
const BothWays = "for reading too"

// Ops are all operations, in the order in which this file explains them.
func Ops() []Op {
	return []Op{
		Read,
		Missed,
		Create,
		Replace,
		Update,
		Append,
		Truncate,
		Rename,
		Exchange,
		Link,
		Symlink,
		Remove,
		MakeFolder,
		RemoveFolder,
		List,
		Run,
		Changed,
		Position,
	}
}

// Writes reports whether the operation opens a file for writing or cuts it.
func (o Op) Writes() bool { return ops[o].writes }

// Two reports whether the operation names a second file.
func (o Op) Two() bool { return ops[o].two }

// Edition is a title as one store sells it.
type Edition struct {
	Store   string `json:"store" yaml:"store"`
	Ref     string `json:"ref,omitempty" yaml:"ref,omitempty"`
	Version string `json:"version,omitempty" yaml:"version,omitempty"`
}

// Header opens a trace: what was run, where and by whom.
type Header struct {
	Format   string            `json:"format"`
	Title    string            `json:"title,omitempty"`
	Edition  *Edition          `json:"edition,omitempty"`
	Launcher string            `json:"launcher,omitempty"`
	Runtime  string            `json:"runtime"`  // native or prefix
	OS       string            `json:"os"`       // linux
	Arch     string            `json:"arch"`     // amd64, arm64
	Kernel   string            `json:"kernel"`   // the kernel's release
	Observer string            `json:"observer"` // how events were seen
	Started  time.Time         `json:"started"`
	Command  []string          `json:"command"`
	Folder   string            `json:"folder"`            // the working folder at the start
	Install  string            `json:"install,omitempty"` // the installed edition's folder
	Prefix   *Prefix           `json:"prefix,omitempty"`  // for runtime prefix
	Account  *Account          `json:"account,omitempty"` // the launcher's account in use
	Chosen   []string          `json:"chosen,omitempty"`  // names that the person chooses in the game
	User     string            `json:"user"`              // the person's account name on the machine
	Host     string            `json:"host"`              // the machine's name
	Env      map[string]string `json:"env"`               // the variables that place anchors
	// Roots are where anchors lie, as folders of the machine, where variables do not
	// tell: on Windows and macOS; on Linux the documents folder that user-dirs.dirs names.
	Roots map[string]string `json:"roots,omitempty"`
}

// Prefix is the compatibility prefix that a Windows build ran in.
type Prefix struct {
	Folder string            `json:"folder"`
	User   string            `json:"user,omitempty"` // inside
	Roots  map[string]string `json:"roots"`          // where Windows' anchors lie, as folders of the machine
	// Drives are the drives by letter (c:), as folders of the machine, and Inside
	// are the anchors as the programs inside see them (C:\users\…): what these open
	// is seen by way of drives and links.
	Drives map[string]string `json:"drives,omitempty"`
	Inside map[string]string `json:"inside,omitempty"`
}

// Account is the launcher's account that was in use.
type Account struct {
	ID     string `json:"id"`
	Folder string `json:"folder,omitempty"` // the launcher's for it
}

// State is what a path was at one moment.
type State struct {
	Is     string    `json:"is"` // absent, file, folder, link or other
	Size   int64     `json:"size,omitempty"`
	Time   time.Time `json:"time,omitzero"`
	Digest string    `json:"digest,omitempty"` // SHA-256 in hexadecimal, of small files
	Looks  string    `json:"looks,omitempty"`  // what the first bytes look like, in words
}

// The values of State.Is.
const (
	IsAbsent = "absent"
	IsFile   = "file"
	IsFolder = "folder"
	IsLink   = "link"
	IsOther  = "other"
	IsKey    = "key" // a key of the registry; Size is how many values it has
)

// States are the values of State.Is.
var States = []string{IsAbsent, IsFile, IsFolder, IsLink, IsOther, IsKey}

// File gives a path its number. Before is its state when it was first seen, at At: that
// before the run only if nothing that is not observed changed it until then.
type File struct {
	N      int    // 1, 2, 3 … in order of appearance
	Path   string // absolute, as the host sees it; any bytes but NUL. See IsPath
	Before State
	At     time.Duration // 0 where that is not known
}

// Reached tells that a program reached a file by another path, through a link: files are
// told by the path without links.
type Reached struct {
	File int
	Path string
}

// Process gives one program image of one process its number.
type Process struct {
	N      int               `json:"p"` // 1, 2, 3 … in order of appearance
	PID    int               `json:"pid"`
	Parent int               `json:"parent,omitempty"` // number of the process that started it, 0 if not observed
	Exe    string            `json:"exe"`
	Args   []string          `json:"args,omitempty"`
	Env    map[string]string `json:"env,omitempty"` // where it differs from the header's
	At     time.Duration     `json:"at"`
}

// Identity is what the lines of one process have in common: its id and its parent. There
// is a line for each program that it executes.
func (p *Process) Identity() [2]int { return [2]int{p.PID, p.Parent} }

// Event is one operation. To is the second file of an operation with two.
type Event struct {
	At      time.Duration // since the start
	Process int           // 0 for what the observer found by itself
	Op      Op
	File    int
	To      int
	Size    int64  // of Changed: the size found; of Position: where in the file
	What    string // more about it, in words
}

// Cue is a moment that the contributor marked.
type Cue struct {
	At   time.Duration `json:"at"`
	Word string        `json:"cue"`
}

// Gap is something that could not be seen.
type Gap struct {
	At   time.Duration `json:"at"`
	What string        `json:"gap"`
	N    int           `json:"times"`
}

// Exit is the end of a process.
type Exit struct {
	Process int           `json:"exit"`
	At      time.Duration `json:"at"`
	Status  int           `json:"status"` // 128 and the signal's number if a signal ended it
}

// Known is the content of a file before anything changed it, learned after the
// file was declared.
type Known struct {
	File  int   `json:"known"`
	State State `json:"state"`
}

// After is the state of a file when the observation ended.
type After struct {
	File  int   `json:"after"`
	State State `json:"state"`
}

// End closes a whole trace with the counts of what stands before it.
type End struct {
	At        time.Duration `json:"at"`
	Files     int           `json:"files"`
	Processes int           `json:"processes"`
	Events    int           `json:"events"`
	Cues      int           `json:"cues"`
	Gaps      int           `json:"gaps"`
}

// registryKey begins the path of a key: what follows is a location's pattern.
const registryKey = "registry:"

// IsPath reports whether a text can be the path of a file in a trace: absolute on the
// machine (with slashes, on Windows too: C:/Users), or a key of the registry, as the
// location registry:HKEY_CURRENT_USER/Software/Fen/.
func IsPath(name, os string) bool {
	if strings.ContainsRune(name, 0) {
		return false
	}
	if rest, ok := strings.CutPrefix(name, registryKey+"HKEY_"); ok {
		return strings.HasSuffix(rest, "/") && !strings.Contains(rest, "//")
	}
	if os == "windows" {
		drive := len(name) >= 3 && name[1] == ':' && name[2] == '/' && (name[0]|0x20) >= 'a' && (name[0]|0x20) <= 'z'
		return !strings.Contains(name, `\`) && (drive || strings.HasPrefix(name, "//"))
	}
	return path.IsAbs(name)
}

// IsKey reports whether a path is a key of the registry.
func (f File) IsKey() bool { return strings.HasPrefix(f.Path, registryKey) }
