// Package companion holds the processes that stand beside an observed program: the
// launcher that becomes it, the witness that tells what its process group was sent, and
// the keeper that answers its calls should the observer stop or die.
//
// The keeper is this program started again under another name. It takes over while the
// program's packages are being initialised, so that it waits for none that it does not
// need. Of the packages whose imports are initialised the one comes next whose path sorts
// first (the Go specification, "Program initialization"): this package therefore imports
// only what is initialised early, such as syscall, and not os, strconv or strings.
//
// The launcher, and the witness of signals, are processes that share this one's memory and
// use nothing of Go's runtime: see begin.
//
//	launcher, err := companion.Prepare(files)
//	launcher.Install(filter)
//	listener, restrained, err := launcher.Listen()
//	err = launcher.Launch(program, arguments)
package companion
