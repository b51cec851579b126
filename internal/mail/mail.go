// Package mail sends what people outside are told, by a mail server (SMTP, RFC 5321).
package mail

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"net/mail"
	"os"
	"strings"
	"time"

	"github.com/goccy/go-yaml"
	smtp "github.com/wneessen/go-mail"
)

// Settings say by which server mail goes out, and as whom. They are read from a file that only whoever runs the server can
// read.
type Settings struct {
	Server       string `yaml:"server"`                  // host:port
	From         string `yaml:"from"`                    // “Hallowmere workshop <workshop@hallowmere.example>”
	User         string `yaml:"user,omitempty"`          // empty: the server asks for none
	PasswordFile string `yaml:"password_file,omitempty"` // file that holds the password of the user
	Plain        bool   `yaml:"plain,omitempty"`         // do without encryption: only to a server on this machine
}

// ReadSettings reads them from a YAML file. The error names the field and what it should be.
func ReadSettings(file string) (s Settings, err error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return s, err
	}
	if err := yaml.UnmarshalWithOptions(text, &s, yaml.Strict()); err != nil {
		return s, fmt.Errorf("%s: %s", file, yaml.FormatError(err, false, false))
	}
	if err := s.check(); err != nil {
		return s, fmt.Errorf("%s: %w", file, err)
	}
	return s, nil
}

func (s Settings) check() error {
	host, port, err := net.SplitHostPort(s.Server)
	if err != nil || host == "" || port == "" {
		return fmt.Errorf("server: “%s” is none: write host:port, as mail.hallowmere.example:587", s.Server)
	}
	if _, err := mail.ParseAddress(s.From); err != nil {
		return fmt.Errorf("from: “%s” is no address that mail can come from", s.From)
	}
	if (s.User == "") != (s.PasswordFile == "") {
		return errors.New("user and password_file go together")
	}
	if s.Plain && host != "localhost" && host != "127.0.0.1" && host != "::1" {
		return errors.New("plain: without encryption mail goes to a server on this machine only")
	}
	return nil
}

// Message is one mail to one address.
type Message struct {
	ID      string // makes the Message-ID: a mail that is sent twice has the same one, and can be shown once
	To      string // address
	Subject string
	Text    string
	At      time.Time // its date
}

// ErrRefused is the error of a mail that its server will never take: the address is none, or is not known there.
var ErrRefused = errors.New("the mail server refused it")

// Server sends by a mail server.
type Server struct {
	settings Settings
	client   *smtp.Client
}

// New is a server by its settings. Nothing is connected yet.
func New(s Settings) (*Server, error) {
	if err := s.check(); err != nil {
		return nil, err
	}
	host, port, _ := net.SplitHostPort(s.Server)
	number, err := net.LookupPort("tcp", port)
	if err != nil {
		return nil, fmt.Errorf("server: “%s” is no port", port)
	}
	options := []smtp.Option{smtp.WithPort(number), smtp.WithTimeout(20 * time.Second), smtp.WithTLSPolicy(smtp.TLSMandatory)}
	if number == 465 { // RFC 8314: encrypted from the first byte
		options = append(options, smtp.WithSSL())
	}
	if s.Plain {
		options = append(options, smtp.WithTLSPolicy(smtp.NoTLS))
	}
	if s.User != "" {
		password, err := os.ReadFile(s.PasswordFile)
		if err != nil {
			return nil, fmt.Errorf("password_file: %w", err)
		}
		options = append(options, smtp.WithSMTPAuth(smtp.SMTPAuthAutoDiscover), smtp.WithUsername(s.User),
			smtp.WithPassword(string(bytes.TrimSpace(password))))
	}
	client, err := smtp.NewClient(host, options...)
	return &Server{s, client}, err
}

// Send sends a mail, and returns when the server has taken it. The error is [ErrRefused] where it is of no use to try again.
func (s *Server) Send(ctx context.Context, m Message) error {
	msg := smtp.NewMsg(smtp.WithNoDefaultUserAgent())
	if err := msg.From(s.settings.From); err != nil {
		return err
	}
	if err := msg.To(m.To); err != nil {
		return fmt.Errorf("%w: “%s” is no address", ErrRefused, m.To)
	}
	from, err := mail.ParseAddress(s.settings.From)
	if err != nil {
		return err
	}
	_, domain, _ := strings.Cut(from.Address, "@")
	msg.SetMessageIDWithValue(m.ID + "@" + domain)
	msg.SetDateWithValue(m.At)
	msg.Subject(m.Subject)
	msg.SetBodyString(smtp.TypeTextPlain, m.Text)
	err = s.client.DialAndSendWithContext(ctx, msg)
	var failed *smtp.SendError
	if errors.As(err, &failed) && failed.ErrorCode() >= 500 {
		return fmt.Errorf("%w: %w", ErrRefused, err)
	}
	return err
}

// CheckAddress refuses what is no address of one person or desk.
func CheckAddress(address string) error {
	a, err := mail.ParseAddress(address)
	if err != nil || a.Address != address {
		return fmt.Errorf("“%s” is no mail address: write it as ward3@hallowmere.example", address)
	}
	return nil
}
