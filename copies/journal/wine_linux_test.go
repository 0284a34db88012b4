package journal

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"endroit/standin/winetest"
)

// What changes files keeps its word on Windows too.
func TestOnWindows(t *testing.T) {
	p := winetest.Prefix(t)
	out := p.Run(t, p.BuildTests(t, "endroit/copies/journal"), "-test.v", "-test.timeout=300s")
	assert.Contains(t, out, "--- PASS: TestRegistryKeys")
}
