package mail

import (
	"context"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-smtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// box stands for a mail server: it keeps what it takes.
type box struct{ taken []string }

func (b *box) NewSession(*smtp.Conn) (smtp.Session, error) { return &visit{box: b}, nil }

type visit struct {
	box *box
	to  string
}

func (v *visit) Mail(string, *smtp.MailOptions) error { return nil }
func (v *visit) Rcpt(to string, _ *smtp.RcptOptions) error {
	v.to = to
	switch {
	case strings.HasPrefix(to, "nobody@"):
		return &smtp.SMTPError{Code: 550, Message: "no such user"}
	case strings.HasPrefix(to, "full@"):
		return &smtp.SMTPError{Code: 451, Message: "try later"}
	}
	return nil
}
func (v *visit) Data(r io.Reader) error {
	text, err := io.ReadAll(r)
	v.box.taken = append(v.box.taken, string(text))
	return err
}
func (*visit) Reset()        {}
func (*visit) Logout() error { return nil }

// served is a mail server on a port of its own.
func served(t *testing.T) (*box, string) {
	b := &box{}
	s := smtp.NewServer(b)
	s.Domain = "localhost"
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	done := make(chan struct{})
	go func() { defer close(done); _ = s.Serve(listener) }()
	t.Cleanup(func() { s.Close(); <-done })
	return b, listener.Addr().String()
}

func TestAMailIsTakenWholeOrSaysWhyNot(t *testing.T) {
	b, address := served(t)
	s, err := New(Settings{Server: address, From: "Hallowmere workshop <workshop@hallowmere.example>", Plain: true})
	require.NoError(t, err)
	m := Message{ID: "digest-1", To: "ward3@hallowmere.example", Subject: "Zwei Geräte: ◆ nicht benützen",
		Text: "CO₂ 5 %: außer der Grenze\n.\nEnde\n", At: time.Date(2026, 11, 30, 7, 0, 0, 0, time.UTC)}
	require.NoError(t, s.Send(context.Background(), m))
	require.NoError(t, s.Send(context.Background(), m), "sent twice it has the same id")
	require.Len(t, b.taken, 2)
	for _, text := range b.taken {
		assert.Contains(t, text, "Message-ID: <digest-1@hallowmere.example>")
		assert.Contains(t, text, "Mon, 30 Nov 2026 07:00:00 +0000")
		assert.Contains(t, text, "ward3@hallowmere.example")
		assert.Contains(t, text, "au=C3=9Fer der Grenze")
	}

	m.To = "nobody@hallowmere.example"
	assert.ErrorIs(t, s.Send(context.Background(), m), ErrRefused)
	m.To = "full@hallowmere.example"
	err = s.Send(context.Background(), m)
	require.Error(t, err)
	assert.NotErrorIs(t, err, ErrRefused, "it is worth trying again")
	m.To = "ward3@hallowmere.example\r\nBcc: everyone@hallowmere.example"
	assert.ErrorIs(t, s.Send(context.Background(), m), ErrRefused)
	m.To, m.Subject = "ward3@hallowmere.example", "one\r\nBcc: everyone@hallowmere.example"
	if err := s.Send(context.Background(), m); err == nil {
		assert.NotContains(t, b.taken[len(b.taken)-1], "\nBcc:")
	}
	away, err := New(Settings{Server: "127.0.0.1:1", From: "workshop@hallowmere.example", Plain: true})
	require.NoError(t, err)
	err = away.Send(context.Background(), m)
	require.Error(t, err)
	assert.NotErrorIs(t, err, ErrRefused, "a server that is not there may come back")
	encrypted, err := New(Settings{Server: address, From: "workshop@hallowmere.example"})
	require.NoError(t, err)
	assert.Error(t, encrypted.Send(context.Background(), m), "nothing goes in the clear unless it was said so")
}

func TestSettingsNameWhatIsWrong(t *testing.T) {
	file := filepath.Join(t.TempDir(), "mail.yaml")
	for text, words := range map[string]string{
		"server: mail\nfrom: a@b.example":                                       "write host:port",
		"server: mail:587\nfrom: nobody":                                        "from:",
		"server: mail:587\nfrom: a@b.example\nuser: a":                          "go together",
		"server: mail.example:25\nfrom: a@b.example\nplain: true":               "on this machine only",
		"server: mail:587\nfrom: a@b.example\nport: 3":                          "port",
		"server: mail:587\nfrom: a@b.example\nuser: a\npassword_file: /no/such": "password_file",
	} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		s, err := ReadSettings(file)
		if err == nil {
			_, err = New(s)
		}
		assert.ErrorContains(t, err, words, text)
	}
}
