// Package processes tells what Linux says of the processes on this machine (proc(5)): which
// program a thread runs, what paths mean to it, what is mounted, and which files are held
// open for writing.
//
//	table := processes.NewTable(recorder, environment, nil)
//	p := table.Of(tid)
package processes
