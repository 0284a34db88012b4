package service_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/service/servicetest"
)

// openapi is what the service's document says; endroit workbench answers the rest.
var openapi = servicetest.Load("openapi.yaml", func(path string) bool { return !strings.HasPrefix(path, "/workbench") })

func TestTheDocumentListsEveryRoute(t *testing.T) {
	assert.ElementsMatch(t, openapi.Listed(), start(t).service.Routes())
}

func TestTheDocumentIsServed(t *testing.T) {
	w := start(t)
	text, err := os.ReadFile("openapi.yaml")
	require.NoError(t, err)
	status, _, body := w.raw(t, "GET", "/api/v1/openapi.yaml", "", nil)
	assert.Equal(t, 200, status)
	assert.Equal(t, string(text), body)
}
