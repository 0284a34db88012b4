// Package system observes programs that somebody else starts, on the whole machine, as root
// (fanotify(7)).
//
//	result, err := system.Run(ctx, system.Options{Process: "tidewrack", Out: file})
package system
