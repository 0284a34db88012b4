// Package plays is a collection of made-up ways in which games keep progress and
// settings, each with what is right about it. A play is written in seconds of a run. A
// program plays it on real files under the observer (Real), or the trace that an observer
// would write of it comes out at once (Footprint).
//
//	go test ./standin/plays -run TestAccuracy -accuracy -v
package plays
