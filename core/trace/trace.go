// Package trace is what was observed of one run: files, processes, events and
// cues, and the format in which they are kept.
//
// A trace is newline-delimited JSON compressed with zstd. The first line is the
// Header; each later line is one of the types of this package, told apart by
// its first key:
//
//	{"f":1,"path":"/home/mira/.local/share/tidewrack/slots/1.sav","before":{"is":"absent"}}
//	{"p":1,"pid":4711,"exe":"/opt/tidewrack/tidewrack","at":1200}
//	{"t":52000,"p":1,"o":"create","f":1}
//	{"cue":"saved","at":91000}
//	{"gap":"…","times":1,"at":95000}
//	{"exit":1,"at":99000,"status":0}
//	{"known":1,"state":{"is":"file","size":0,"digest":"…"}}
//	{"after":1,"state":{"is":"file","size":12}}
//	{"end":{"at":99000,"files":1,"processes":1,"events":1,"cues":1,"gaps":1}}
//
// Times are nanoseconds since the header's Started. A file or process is
// declared before it is used. A path that is not UTF-8 stands in base64 under
// "bytes" instead of "path". Unknown keys are ignored, and an unknown kind of
// line is skipped, so that a later version can add some.
//
// Writing and reading:
//
//	w, err := trace.NewWriter(out, header)
//	r, err := trace.NewReader(in, trace.DefaultLimits)
//	for line, err := range r.Lines() { … }
package trace

// Format is the name and version in the header.
const Format = "endroit/trace/1"
