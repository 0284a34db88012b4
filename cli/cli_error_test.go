package cli

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A list in an error has its lines, and text from outside cannot pass for another message.
func TestErrorsOfSeveralLines(t *testing.T) {
	assert.Equal(t, "endroit: which one?\n  Tidewrack\n  Saltglass", errorText(errors.New("which one?\n  Tidewrack\n  Saltglass")))
	assert.Equal(t, "endroit: it said\n  endroit: all is well", errorText(errors.New("it said\nendroit: all is well")))
	assert.NotContains(t, errorText(errors.New("red \x1b[31m\r\nagain")), "\x1b")
}
