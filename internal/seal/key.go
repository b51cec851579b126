// Package seal is the workshop's key: it signs how the record stands and what goes out on paper, so that both can be
// held against what was signed. The key is kept apart from the record, and never leaves the machine but for an export
// under a passphrase.
package seal

import (
	"bytes"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/sha256"
	"crypto/x509"
	"encoding/base64"
	"encoding/pem"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"filippo.io/age"
	"github.com/go-jose/go-jose/v4"
)

// keyFile is the workshop's own key, in PKCS #8 (RFC 5958).
const keyFile = "signing-key.pem"

// Public is a key that signatures are verified by, whoever holds the other half.
type Public struct {
	ID  string `json:"id"`  // the first 16 letters of the SHA-256 of the key
	Key string `json:"key"` // Ed25519, base64 (RFC 4648, for addresses)
}

func publicOf(key ed25519.PublicKey) Public {
	sum := sha256.Sum256(key)
	return Public{ID: base64.RawURLEncoding.EncodeToString(sum[:])[:16], Key: base64.RawURLEncoding.EncodeToString(key)}
}

// key is the key itself. The error says that it is none.
func (p Public) key() (ed25519.PublicKey, error) {
	raw, err := base64.RawURLEncoding.DecodeString(p.Key)
	if err != nil || len(raw) != ed25519.PublicKeySize || publicOf(raw).ID != p.ID {
		return nil, fmt.Errorf("the public key %s is none, or not the one that its name says", p.ID)
	}
	return raw, nil
}

// makeKey makes a key in a folder that has none, or reads the one that is there.
func makeKey(folder string) (key ed25519.PrivateKey, made bool, err error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, false, fmt.Errorf("the folder of the workshop's key: %w", err)
	}
	file := filepath.Join(folder, keyFile)
	text, err := os.ReadFile(file)
	if err == nil {
		key, err = readKey(text)
		if err != nil {
			err = fmt.Errorf("%s: %w", file, err)
		}
		return key, false, err
	}
	if !errors.Is(err, os.ErrNotExist) {
		return nil, false, err
	}
	if _, key, err = ed25519.GenerateKey(rand.Reader); err != nil {
		return nil, false, err
	}
	return key, true, keepKey(file, key)
}

func readKey(text []byte) (ed25519.PrivateKey, error) {
	block, _ := pem.Decode(text)
	if block == nil {
		return nil, errors.New("this is no key: put back what was exported, or move it away for a new one")
	}
	any, err := x509.ParsePKCS8PrivateKey(block.Bytes)
	if err != nil {
		return nil, err
	}
	key, ok := any.(ed25519.PrivateKey)
	if !ok {
		return nil, errors.New("this is a key of another kind")
	}
	return key, nil
}

// keepKey writes a key to a file that is not there yet.
func keepKey(file string, key ed25519.PrivateKey) error {
	raw, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	out, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	err = pem.Encode(out, &pem.Block{Type: "PRIVATE KEY", Bytes: raw})
	return errors.Join(err, out.Sync(), out.Close())
}

// shortestPassphrase is how many characters an export's passphrase has at least.
const shortestPassphrase = 12

// workFactor is the cost of an export's passphrase, as a power of two. Only tests lower it.
var workFactor = 18

// ExportKey writes the workshop's key under a passphrase (age, scrypt): for a safe, and for another machine.
func ExportKey(folder, passphrase string, to io.Writer) error {
	text, err := os.ReadFile(filepath.Join(folder, keyFile))
	if err != nil {
		return fmt.Errorf("there is no key to export: %w", err)
	}
	return Encrypt(passphrase, bytes.NewReader(text), to)
}

// ImportKey puts an exported key into a folder that has none.
func ImportKey(folder, passphrase string, from io.Reader) error {
	var text bytes.Buffer
	if err := Decrypt(passphrase, from, &text); err != nil {
		return err
	}
	key, err := readKey(text.Bytes())
	if err != nil {
		return err
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return err
	}
	err = keepKey(filepath.Join(folder, keyFile), key)
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s has a key already: move it away first, if it is the wrong one", folder)
	}
	return err
}

// Encrypt writes what is read under a passphrase (age, scrypt).
func Encrypt(passphrase string, from io.Reader, to io.Writer) error {
	if len([]rune(strings.TrimSpace(passphrase))) < shortestPassphrase {
		return fmt.Errorf("the passphrase needs at least %d characters: a few words that do not belong together",
			shortestPassphrase)
	}
	recipient, err := age.NewScryptRecipient(passphrase)
	if err != nil {
		return err
	}
	recipient.SetWorkFactor(workFactor)
	out, err := age.Encrypt(to, recipient)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, from)
	return errors.Join(err, out.Close())
}

// ErrPassphrase says that a passphrase is the wrong one.
var ErrPassphrase = errors.New("the passphrase is another one")

// Decrypt writes what was encrypted under a passphrase. What was changed or cut off is only noticed at its end: where there is
// an error, what was written is thrown away.
func Decrypt(passphrase string, from io.Reader, to io.Writer) error {
	identity, err := age.NewScryptIdentity(passphrase)
	if err != nil {
		return ErrPassphrase
	}
	in, err := age.Decrypt(from, identity)
	var none *age.NoIdentityMatchError
	if errors.As(err, &none) {
		return ErrPassphrase
	}
	if err != nil {
		return fmt.Errorf("this was not encrypted here: %w", err)
	}
	if _, err = io.Copy(to, in); err != nil {
		return fmt.Errorf("it was changed, or cut off: %w", err)
	}
	return nil
}

// signer signs with a key, as JWS (RFC 7515) by EdDSA (RFC 8037).
func signer(key ed25519.PrivateKey) (jose.Signer, error) {
	public := publicOf(key.Public().(ed25519.PublicKey))
	return jose.NewSigner(jose.SigningKey{Algorithm: jose.EdDSA, Key: key}, (&jose.SignerOptions{}).WithHeader("kid",
		public.ID))
}

// ErrNotOurs says that something was signed by a key that is not among the workshop's.
var ErrNotOurs = errors.New("it was not signed by this workshop")

// Open verifies a JWS by one of the keys, and returns what was signed and the key's id. The error is ErrNotOurs where none of
// them signed it.
func Open(signed string, keys []Public) (payload []byte, by string, err error) {
	parsed, err := jose.ParseSignedCompact(signed, []jose.SignatureAlgorithm{jose.EdDSA})
	if err != nil || len(parsed.Signatures) != 1 {
		return nil, "", ErrNotOurs
	}
	by = parsed.Signatures[0].Protected.KeyID
	for _, p := range keys {
		if p.ID != by {
			continue
		}
		key, err := p.key()
		if err != nil {
			return nil, by, err
		}
		if payload, err = parsed.Verify(key); err != nil {
			return nil, by, ErrNotOurs
		}
		return payload, by, nil
	}
	return nil, by, ErrNotOurs
}

// peek reads what was signed, and by which key it says, without verifying it.
func peek(signed string) (payload []byte, by string, err error) {
	parsed, err := jose.ParseSignedCompact(signed, []jose.SignatureAlgorithm{jose.EdDSA})
	if err != nil || len(parsed.Signatures) != 1 {
		return nil, "", errors.New("it is no signed text")
	}
	return parsed.UnsafePayloadWithoutVerification(), parsed.Signatures[0].Protected.KeyID, nil
}
