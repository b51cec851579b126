package e2e_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"io"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// encrypting writes a certificate for this machine and its key.
func encrypting(t *testing.T) (cert, key string) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := x509.Certificate{SerialNumber: big.NewInt(1), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}}
	raw, err := x509.CreateCertificate(rand.Reader, &template, &template, &private.PublicKey, private)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	require.NoError(t, err)
	folder := t.TempDir()
	cert, key = filepath.Join(folder, "cert.pem"), filepath.Join(folder, "key.pem")
	require.NoError(t, os.WriteFile(cert, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: raw}), 0o600))
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600))
	return cert, key
}

// It encrypts by itself, has its folder to itself, and does not serve a demo's people for good.
func TestAServerStandsOnItsOwn(t *testing.T) {
	t.Parallel()
	data := filepath.Join(t.TempDir(), "data")
	begun(t, data)
	cert, key := encrypting(t)
	s := launch(t, data, "serve", "--tls-cert", cert, "--tls-key", key)
	insecure := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}}
	answer, err := insecure.Get(strings.Replace(s.base, "http:", "https:", 1) + "/healthz")
	require.NoError(t, err)
	text, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, "ok\n", string(text))
	assert.NotEmpty(t, answer.Header.Get("Strict-Transport-Security"))

	second := begin(t, data, "serve")
	assert.False(t, second.answers(), "two servers on one folder")
	assert.Contains(t, second.out.String(), "another server has")
	s.kill()
	launch(t, data, "serve").kill() // a killed one leaves nothing that stands in the way

	half := begin(t, data, "serve", "--tls-cert", cert)
	assert.False(t, half.answers())
	assert.Contains(t, half.out.String(), "go together")

	from, err := filled()
	require.NoError(t, err)
	demos := filepath.Join(t.TempDir(), "data")
	require.NoError(t, os.CopyFS(demos, os.DirFS(from)))
	served := begin(t, demos, "serve")
	assert.False(t, served.answers())
	assert.Contains(t, served.out.String(), "filled by the demo")
}

// The key goes to a safe under a passphrase, and comes back from it; without it, what it signed stays verifiable.
func TestTheKeyIsExportedUnderAPassphrase(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	data, safe := filepath.Join(folder, "data"), filepath.Join(folder, "key.age")
	begun(t, data)
	launch(t, data, "serve").kill()
	out, ok := told(t, "too short\n", "key", "export", "--data", data, safe)
	assert.False(t, ok, out)
	assert.NoFileExists(t, safe)
	out, ok = told(t, "moss lantern harbour\n", "key", "export", "--data", data, safe)
	require.True(t, ok, out)
	text, err := os.ReadFile(safe)
	require.NoError(t, err)
	assert.NotContains(t, string(text), "PRIVATE KEY")
	own := filepath.Join(data+"-keys", "signing-key.pem")
	before, err := os.ReadFile(own)
	require.NoError(t, err)
	info, err := os.Stat(own)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	_, ok = told(t, "moss lantern harbour\n", "key", "import", "--data", data, safe)
	assert.False(t, ok, "the one that is there is not written over")
	require.NoError(t, os.Rename(own, own+".lost"))
	out, ok = told(t, "another passphrase\n", "key", "import", "--data", data, safe)
	assert.False(t, ok)
	assert.Contains(t, out, "another one")
	launch(t, data, "serve").kill() // without its key: a new one, as an event
	out, ok = told(t, "", "verify", "--data", data)
	require.True(t, ok, "checkpoints of both keys hold: %s", out)
	require.NoError(t, os.Remove(own))
	out, ok = told(t, "moss lantern harbour\n", "key", "import", "--data", data, safe)
	require.True(t, ok, out)
	after, err := os.ReadFile(own)
	require.NoError(t, err)
	assert.Equal(t, before, after)
}
