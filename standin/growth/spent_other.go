//go:build !linux

package growth

import "time"

func spent() time.Duration { return time.Since(begun) }
