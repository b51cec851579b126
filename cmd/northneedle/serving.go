package main

import (
	"crypto/rand"
	"crypto/tls"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"northneedle/internal/api"
	"northneedle/internal/backup"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/ledger"
	"northneedle/internal/mail"
	"northneedle/internal/workshop"

	"github.com/gofrs/flock"
)

// certificate is what is encrypted with; nil where nothing is.
func (n network) certificate() (*tls.Certificate, error) {
	switch {
	case n.TLSCert == "" && n.TLSKey == "":
		return nil, nil
	case n.TLSCert == "" || n.TLSKey == "":
		return nil, errors.New("--tls-cert and --tls-key go together")
	case n.BehindProxy:
		return nil, errors.New("either this program encrypts (--tls-cert, --tls-key) or the proxy in front does (--behind-proxy)")
	}
	pair, err := tls.LoadX509KeyPair(n.TLSCert, n.TLSKey)
	if err != nil {
		return nil, fmt.Errorf("the certificate to encrypt with: %w", err)
	}
	return &pair, nil
}

// lockFile says that a server has a data folder to itself.
const lockFile = "serving.lock"

// alone takes a data folder for this server alone, until free is called.
func alone(data string) (free func(), err error) {
	if err := os.MkdirAll(data, 0o700); err != nil {
		return nil, err
	}
	lock := flock.New(filepath.Join(data, lockFile))
	taken, err := lock.TryLock()
	if err != nil {
		return nil, fmt.Errorf("the data folder: %w", err)
	}
	if !taken {
		return nil, fmt.Errorf("another server has %s open: stop it first, or serve another folder", data)
	}
	return func() { lock.Unlock() }, nil
}

// demoPeople refuses to serve a demo's people for good: their password stands on the page.
func demoPeople(l *ledger.Ledger, isDemo bool) error {
	if isDemo {
		return nil
	}
	everyone, err := l.People()
	if err != nil {
		return err
	}
	for _, p := range everyone {
		if p.Demo {
			return fmt.Errorf("this folder was filled by the demo, and the password of %s is known to everyone: serve another folder", p.Name)
		}
	}
	return nil
}

// schedule is the copies that are made by themselves; nil where none are asked for.
func (n network) schedule(l *ledger.Ledger, shop *workshop.Workshop) (*backup.Schedule, error) {
	if n.Backups == "" {
		return nil, nil
	}
	words := ""
	if n.BackupPassphrase != "" {
		text, err := os.ReadFile(n.BackupPassphrase)
		if err != nil {
			return nil, err
		}
		words = strings.TrimSpace(string(text))
	}
	return &backup.Schedule{Ledger: l, Data: n.Data, Folder: n.Backups, Keep: n.Keep, Passphrase: words, Clock: time.Now,
		Holds: func(copied *ledger.Ledger) error { return workshop.CopyHolds(copied, shop.Seal) }}, nil
}

// useDirectory lets people of the directory that a file describes sign in.
func useDirectory(server *api.Server, file string) error {
	d, err := definition.Directory(file)
	if err != nil {
		return err
	}
	secret := []byte{}
	if d.SecretFile != "" {
		if secret, err = os.ReadFile(d.SecretFile); err != nil {
			return fmt.Errorf("%s: secret_file: %w", file, err)
		}
	}
	server.UseDirectory(*d, strings.TrimSpace(string(secret)))
	return nil
}

// post is how mail is sent; nil where no mail server is set. The demo's mail goes to nobody.
func (n network) post(isDemo bool) (workshop.Post, error) {
	switch {
	case isDemo:
		return demo.Post{}, nil
	case n.Mail == "":
		return nil, nil
	}
	settings, err := mail.ReadSettings(n.Mail)
	if err != nil {
		return nil, err
	}
	return mail.New(settings)
}

// startCode is what somebody begins with on an empty record; empty where people are registered already.
func startCode(l *ledger.Ledger, isDemo bool) (string, error) {
	everyone, err := l.Everyone()
	if err != nil || isDemo || len(everyone) > 0 {
		return "", err
	}
	return rand.Text()[:12], nil
}
