package published

import "time"

// Hasten makes a web server's source wait so long at most for small files.
func Hasten(s Source, patience time.Duration) { s.(*web).patience = patience }
