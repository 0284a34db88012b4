// Package publication is who publishes a manifest: the keys, the root that says which keys
// count, and the signing of each revision, as the update framework specifies
// (https://theupdateframework.github.io/specification/v1.0.34/).
//
//	err := publication.Make(folder, publication.Plan{Name: "…", Root: keys, Threshold: 2}, now)
//	signer, err := publication.Open(folder)
//	files, err := signer.Revision(…)
package publication

import (
	"bytes"
	"crypto"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"fmt"
	"os"

	"github.com/secure-systems-lab/go-securesystemslib/encrypted"
	"github.com/sigstore/sigstore/pkg/signature"
	"github.com/theupdateframework/go-tuf/v2/metadata"

	"endroit/safefile"
)

// Key is a private key (Ed25519, RFC 8032) with the public one.
type Key struct {
	private ed25519.PrivateKey
	public  *metadata.Key
	id      string
}

// ID is the key's id in the metadata: the SHA-256 of its public form.
func (k *Key) ID() string { return k.id }

// NewKey makes a key.
func NewKey() (*Key, error) {
	_, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return nil, err
	}
	return keyOf(private)
}

func keyOf(private ed25519.PrivateKey) (*Key, error) {
	public, err := metadata.KeyFromPublicKey(private.Public())
	if err != nil {
		return nil, err
	}
	id, err := public.ID()
	return &Key{private, public, id}, err
}

func (k *Key) signer() (signature.Signer, error) {
	return signature.LoadSigner(k.private, crypto.Hash(0))
}

// The types of PEM blocks in key files (RFC 7468): PKCS #8, and the same encrypted with a
// passphrase by scrypt and secretbox, as go-securesystemslib does.
const (
	plainBlock  = "PRIVATE KEY"
	sealedBlock = "ENCRYPTED SIGSTORE PRIVATE KEY"
)

// maxKeyFile bounds the file of a key.
const maxKeyFile = 16 << 10

// Save writes the key to a file that is not there yet, for its owner alone. A passphrase
// encrypts it; without one it is written plainly, as an online key has to be.
func (k *Key) Save(file string, passphrase []byte) error {
	raw, err := x509.MarshalPKCS8PrivateKey(k.private)
	if err != nil {
		return fmt.Errorf("write key %s: %w", file, err)
	}
	block := &pem.Block{Type: plainBlock, Bytes: raw}
	if len(passphrase) > 0 {
		sealed, err := encrypted.Encrypt(raw, passphrase)
		if err != nil {
			return fmt.Errorf("write key %s: %w", file, err)
		}
		block = &pem.Block{Type: sealedBlock, Bytes: sealed}
	}
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("write key %s: it exists already, and a key is never replaced; choose another name", file)
	}
	if err != nil {
		return fmt.Errorf("write key: %w", err)
	}
	err = pem.Encode(f, block)
	if err == nil {
		err = f.Sync()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		_ = os.Remove(file)
		return fmt.Errorf("write key %s: %w", file, err)
	}
	return nil
}

// ErrPassphrase says that a key's file is not opened by a passphrase.
var ErrPassphrase = errors.New("wrong passphrase")

// LoadKey reads a key's file. passphrase is called for one that is encrypted.
func LoadKey(file string, passphrase func() ([]byte, error)) (*Key, error) {
	text, err := safefile.Read(file, maxKeyFile)
	if err != nil {
		return nil, fmt.Errorf("read key: %w", err)
	}
	block, rest := pem.Decode(text)
	if block == nil || len(bytes.TrimSpace(rest)) > 0 || block.Type != plainBlock && block.Type != sealedBlock {
		return nil, fmt.Errorf("read key %s: it is not a key file that endroit keys wrote", file)
	}
	raw := block.Bytes
	if block.Type == sealedBlock {
		if passphrase == nil {
			return nil, fmt.Errorf("read key %s: it is encrypted, and an online key must not be", file)
		}
		word, err := passphrase()
		if err != nil {
			return nil, err
		}
		if raw, err = encrypted.Decrypt(raw, word); err != nil {
			return nil, fmt.Errorf("read key %s: %w", file, ErrPassphrase)
		}
	}
	parsed, err := x509.ParsePKCS8PrivateKey(raw)
	if err != nil {
		return nil, fmt.Errorf("read key %s: %w", file, err)
	}
	private, ok := parsed.(ed25519.PrivateKey)
	if !ok {
		return nil, fmt.Errorf("read key %s: it is not an Ed25519 key", file)
	}
	return keyOf(private)
}
