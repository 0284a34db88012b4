// Package companion holds the processes that stand beside an observed program: the
// launcher that becomes it, and the keeper that answers its calls should the observer
// stop or die.
//
// Each is this program started again under another name. They take over while the
// program's packages are being initialised, so that none waits for those that it
// does not need. Of the packages whose imports are initialised the one comes next whose
// path sorts first (the Go specification, "Program initialization"): this package
// therefore imports only what is initialised early, such as syscall, and not os, strconv
// or strings.
//
//	launcher, err := companion.Prepare(program, arguments, files)
//	launched, err := launcher.Launch(filter)
package companion
