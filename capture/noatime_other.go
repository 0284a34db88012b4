//go:build unix && !linux

package capture

const oNoAtime = 0
