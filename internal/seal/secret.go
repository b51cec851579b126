package seal

import (
	"crypto/hkdf"
	"crypto/sha256"
	"encoding/base64"
	"io"
)

// secretLength is how many bytes a secret has: too many to be guessed.
const secretLength = 24

// Secret is a secret for a purpose, made from the workshop's key (HKDF, RFC 5869). The same purpose gives the same secret, so
// that it need not be kept anywhere; another key gives others.
func (s *Seal) Secret(purpose string) (string, error) {
	raw, err := hkdf.Key(sha256.New, s.key.Seed(), nil, "northneedle "+purpose, secretLength)
	return base64.RawURLEncoding.EncodeToString(raw), err
}

// Export writes the workshop's key under a passphrase, as [ExportKey] does.
func (s *Seal) Export(passphrase string, to io.Writer) error {
	return ExportKey(s.folder, passphrase, to)
}
