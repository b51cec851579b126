package e2e_test

import (
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/golang-jwt/jwt/v5"
	"github.com/oauth2-proxy/mockoidc"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ada is somebody of the directory.
type ada struct{ mockoidc.MockUser }

func (a *ada) Claims(_ []string, base *mockoidc.IDTokenClaims) (jwt.Claims, error) {
	return &struct {
		*mockoidc.IDTokenClaims
		Name   string   `json:"name"`
		Groups []string `json:"groups"`
	}{base, "Ada Quillan", []string{"biomed-leads"}}, nil
}

// withDirectory starts the demo beside a stand-in of a hospital's directory, which sends Ada whenever it is asked.
func withDirectory(t *testing.T) *server {
	t.Helper()
	directory, err := mockoidc.Run()
	require.NoError(t, err)
	t.Cleanup(func() { directory.Shutdown() })
	for range 5 {
		directory.QueueUser(&ada{mockoidc.MockUser{Subject: "s-1"}})
	}
	from, err := filled()
	require.NoError(t, err)
	data := t.TempDir()
	require.NoError(t, os.CopyFS(data, os.DirFS(from)))
	secret, file := filepath.Join(data, "directory.secret"), filepath.Join(data, "directory.yaml")
	require.NoError(t, os.WriteFile(secret, []byte(directory.ClientSecret+"\n"), 0o600))
	for {
		listener, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		address := strings.Replace(listener.Addr().String(), "127.0.0.1", "localhost", 1)
		listener.Close()
		text := fmt.Sprintf("name: Hallowmere staff\nissuer: %s\nclient: %s\nsecret_file: %s\naddress: http://%s\nroles:\n  - group: biomed-leads\n    role: lead\n",
			directory.Issuer(), directory.ClientID, secret, address)
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		s := begin(t, data, "demo", "--ports", "0", "--addr", address, "--directory", file)
		s.base = "http://" + address
		if s.answers() {
			return s
		}
		require.Contains(t, s.out.String(), "address already in use", "the server stopped")
	}
}

// fits looks at the page as a phone shows it: nothing of it lies beyond the edge.
func (p *page) fits(name string) {
	p.t.Helper()
	beyond, err := p.Narrow(390, 844)
	p.must(err)
	p.picture(name)
	assert.LessOrEqual(p.t, beyond, 0, name)
	_, err = p.Narrow(1280, 800)
	p.must(err)
}

// Somebody of the directory signs in there, sets a passkey of their tablet, signs by it, and comes back by it over a
// locked page.
func TestTheDirectoryAndAPasskeyInPlaceOfAPassword(t *testing.T) {
	t.Parallel()
	s := withDirectory(t)
	p := openPage(t, s, "")
	require.NoError(t, p.Passkeys())
	p.must(p.Go("/"))
	p.must(p.Wait("a[href='/sign-in/directory']"))
	p.picture("sign-in-directory")
	p.fits("phone-sign-in")
	p.must(p.Press("By Hallowmere staff"))
	p.see("Ada Quillan: what you sign with", "One is enough")
	p.picture("first-secret")
	p.fits("phone-first-secret")
	p.must(p.Fill("input[name=passkey-name]", "bench tablet"))
	p.must(p.Press("Add a passkey of this device"))
	p.see("What to bring")
	p.must(p.Go("/me"))
	p.see("You sign in by Hallowmere staff", "bench tablet")
	p.picture("me-directory")
	p.must(p.Fill("input[name=passkey-name]", "the same again"))
	p.must(p.Press("Add a passkey of this device"))
	p.see("This device has a passkey of yours already")

	run := p.signedRunOf("MB-0516")
	p.must(p.Go("/bench/" + run))
	p.must(p.Press("Issue the certificate anew"))
	p.must(p.Fill("input[name=serial]", "SN-204-C"))
	p.must(p.Fill("textarea[name=reason]", "the serial was misread"))
	p.must(p.Press("Show the passkey"))
	p.see("Your passkey was shown")
	p.picture("passkey-shown")
	p.must(p.Press("Issue revision 2"))
	p.see("as it was signed", "the serial was misread: serial SN-204-C, it said")

	p.must(p.Press("A. Quillan"))
	p.must(p.Press("Lock the page"))
	p.see("Locked: Ada Quillan")
	p.picture("locked-passkey")
	p.fits("phone-locked")
	p.must(p.Press("By a passkey"))
	p.must(p.Gone("Locked: Ada Quillan"))

	// The same over the directory: it opens in a window of its own, which closes when it sends her back.
	p.must(p.Press("A. Quillan"))
	p.must(p.Press("Lock the page"))
	p.see("Locked: Ada Quillan")
	p.must(p.Press("By Hallowmere staff"))
	p.must(p.Gone("Locked: Ada Quillan"))
	p.see("the serial was misread")
	assert.Empty(t, p.Troubles())
}
