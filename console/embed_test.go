package console

import (
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
)

func TestCompressedFiles(t *testing.T) {
	files := fstest.MapFS{"assets/a.js": {Data: []byte("plain")}, "assets/a.js.br": {Data: []byte("br")}, "assets/a.js.gz": {Data: []byte("gz")}, "assets/b.js": {Data: []byte("plain")}}
	for accepted, want := range map[string]string{"": "", "gzip, deflate, br": "br", "gzip;q=0.5": "gzip", "br;q=0, gzip": "gzip", "identity": "", "BR": "br", "br; q=0": ""} {
		coding, data := compressed(files, "assets/a.js", accepted)
		assert.Equal(t, want, coding, accepted)
		assert.Equal(t, want == "", data == nil, accepted)
	}
	_, data := compressed(files, "assets/b.js", "br, gzip")
	assert.Nil(t, data)
}
