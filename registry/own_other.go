//go:build !windows

package registry

import (
	"time"

	"endroit/core/hive"
)

func readOwn(string, string) ([]hive.Branch, time.Time, error) { return nil, time.Time{}, ErrNotHere }

func writeOwn(string, string, []hive.Branch) error { return ErrNotHere }
