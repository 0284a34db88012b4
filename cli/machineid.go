package cli

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"os"
	"path/filepath"
	"strings"

	"endroit/safefile"
)

// pseudonym is what this machine calls itself at a service: the same each time, different
// for each service, and made of a secret that stays here. By it a service tells whether two
// findings come from two machines.
func pseudonym(service string) (string, error) {
	dir, err := dataFolder()
	if err != nil {
		return "", err
	}
	file := filepath.Join(dir, "machine-secret")
	secret, err := safefile.Read(file, ownFile)
	if errors.Is(err, os.ErrNotExist) || err == nil && len(secret) < 32 {
		secret = []byte(rand.Text() + rand.Text())
		err = writeOwn(file, secret)
	}
	if err != nil {
		return "", err
	}
	sum := hmac.New(sha256.New, secret)
	sum.Write([]byte("endroit machine at " + strings.TrimSuffix(service, "/")))
	return hex.EncodeToString(sum.Sum(nil)[:16]), nil
}
