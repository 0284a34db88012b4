package service

import (
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"
)

// The cost of argon2id: memory in KiB, passes and lanes, as OWASP recommends at
// the least.
const (
	argonMemory = 19 << 10
	argonTime   = 2
	argonLanes  = 1
	argonKey    = 32
)

const (
	minPassword = 10
	maxPassword = 200
)

var nameShape = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^[a-z][a-z0-9-]{1,31}$`)
})

// checkName reports what is wrong with an account's name. Those that say that somebody was
// forgotten are nobody's.
func checkName(name string) error {
	if name == "somebody" || strings.HasPrefix(name, "forgotten-") {
		return fmt.Errorf("%s is what is shown in place of people who were forgotten; choose another name", name)
	}
	if !nameShape().MatchString(name) {
		return fmt.Errorf("the name %.40q must be 2 to 32 lowercase letters, digits and hyphens, beginning with a letter", name)
	}
	return nil
}

// checkAccount reports what is wrong with a new account.
func checkAccount(name, password string) error {
	if err := checkName(name); err != nil {
		return err
	}
	if n := utf8.RuneCountInString(password); n < minPassword || n > maxPassword {
		return fmt.Errorf("the password has %d characters; it must have %d to %d", n, minPassword, maxPassword)
	}
	return nil
}

// hashPassword makes the PHC string $argon2id$v=19$m=…,t=…,p=…$salt$key.
func hashPassword(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	key := argon2.IDKey([]byte(password), salt, argonTime, argonMemory, argonLanes, argonKey)
	b64 := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf(
		"$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonTime, argonLanes, b64(salt),
		b64(key),
	)
}

var errHash = errors.New("a stored password hash is not argon2id in PHC form")

func checkPassword(hash, password string) (bool, error) {
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false, errHash
	}
	var memory, time uint32
	var lanes uint8
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &time, &lanes); err != nil {
		return false, errHash
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	key, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || len(key) == 0 {
		return false, errHash
	}
	got := argon2.IDKey([]byte(password), salt, time, memory, lanes, uint32(len(key)))
	return subtle.ConstantTimeCompare(got, key) == 1, nil
}

// unknownHash makes a sign-in with an unknown name take as long as any other.
var unknownHash = sync.OnceValue(func() string { return hashPassword("nobody has this password") })

const tokenPrefix = "endroit_"

// newToken makes a token and the digest under which it is stored.
func newToken() (token string, digest []byte) {
	raw := make([]byte, 32)
	_, _ = rand.Read(raw)
	token = tokenPrefix + base64.RawURLEncoding.EncodeToString(raw)
	return token, tokenDigest(token)
}

func tokenDigest(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}
