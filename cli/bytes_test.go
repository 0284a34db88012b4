package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/content"
)

func TestBytesInRows(t *testing.T) {
	assert.Equal(t, "00 01 02 03 04 05 06 07  08 09", spaced([]byte{0, 1, 2, 3, 4, 5, 6, 7, 8, 9}))
	assert.Equal(t, "", spaced(nil))
	assert.Equal(t, "a.b ~..", letters([]byte("a\x1bb ~\x7f\xff")), "nothing reaches the terminal that it could obey")
	assert.Equal(t, "0x000A", hexOffset(10))
}

func TestDifferencesInWords(t *testing.T) {
	for d, want := range map[content.Difference]string{
		{A: 0, B: 0, ALen: 0, BLen: 1}:  "1 byte inserted",
		{A: 0, B: 0, ALen: 20, BLen: 0}: "20 bytes removed",
		{A: 0, B: 0, ALen: 4, BLen: 4}:  "4 bytes changed",
		{A: 0, B: 0, ALen: 4, BLen: 6}:  "6 bytes for 4",
	} {
		assert.Equal(t, want, kindOf(d))
	}
	assert.Equal(t, "", otherOffset(content.Difference{A: 5, B: 5}))
	assert.Equal(t, " (0x0007 in the other)", otherOffset(content.Difference{A: 5, B: 7}))
	assert.Equal(t, ": as a number 10, then 25", numbersOf([]byte{10}, []byte{25}))
	assert.Equal(t, ": as a number 256, then 1, little-endian", numbersOf([]byte{0, 1}, []byte{1, 0}))
	assert.Empty(t, numbersOf([]byte{1}, []byte{1, 0}))
	assert.Empty(t, numbersOf(make([]byte, 9), make([]byte, 9)))
}

func TestSumsInWords(t *testing.T) {
	for want, m := range map[string]content.SumMatch{
		"all before it":                               {At: 96, Length: 4, From: 0, To: 96},
		"all behind it":                               {At: 0, Length: 4, From: 4, To: 100},
		"the whole file except the checksum":          {At: 8, Length: 4, From: 0, To: 100},
		"the whole file, with the checksum as zeros":  {At: 8, Length: 4, From: 0, To: 100, Zeroed: true},
		"what follows a header of 16 bytes, up to it": {At: 96, Length: 4, From: 16, To: 96},
		"what follows a header of 32 bytes":           {At: 0, Length: 4, From: 32, To: 100},
	} {
		assert.Equal(t, want, describeRange(m, 100))
	}
	assert.Equal(t, " (4 bytes before the end)", fromEnd(content.SumMatch{At: 96, FromEnd: true}, 100))
	assert.Empty(t, fromEnd(content.SumMatch{At: 0}, 100))
	assert.Equal(t, "not a coincidence", chanceOf(1e-30))
	assert.Equal(t, "a coincidence in one of 1,000 files", chanceOf(0.001))
}

func TestOffsets(t *testing.T) {
	for text, want := range map[string]int{"0": 0, "16": 16, "0x10": 16, "-4": -4, "100": 100} {
		got, err := offset("at", text, 100)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	for _, text := range []string{"", "x", "101", "-101", "1.5", "0xG"} {
		_, err := offset("at", text, 100)
		assert.ErrorContains(t, err, "is not an offset in 100 bytes", text)
	}
}
