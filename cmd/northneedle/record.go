package main

import (
	"errors"
	"fmt"
	"northneedle/internal/backup"
	"northneedle/internal/ledger"
	"northneedle/internal/seal"
	"northneedle/internal/workshop"
	"os"
	"path/filepath"
	"time"
)

type backupCmd struct {
	place
	Encrypt bool   `help:"Encrypt it under a passphrase, which is read from standard input."`
	File    string `arg:"" help:"New file to write." type:"path"`
}

// Run writes the copy.
func (b backupCmd) Run() error {
	words := ""
	if _, err := os.Stat(b.File); err == nil {
		return fmt.Errorf("%s exists already: give the backup a name of its own", b.File)
	}
	if b.Encrypt {
		var err error
		if words, err = passphrase(); err != nil {
			return err
		}
	}
	l, err := ledger.OpenKept(b.Data)
	if err != nil {
		return err
	}
	defer l.Close()
	return backup.WriteFile(l, b.Data, words, b.File)
}

type restore struct {
	place
	keeping
	File string `arg:"" help:"Backup to restore." type:"existingfile"`
}

// Run restores.
func (r restore) Run() error {
	unpacked, err := r.unpack()
	if err != nil {
		return err
	}
	defer os.RemoveAll(unpacked)
	file := filepath.Join(unpacked, ledger.File)
	if err := copyHolds(r.Data, file, r.keeping); err != nil {
		return err
	}
	now := time.Now()
	aside, kept, err := ledger.Restore(r.Data, file, now)
	if err != nil {
		return err
	}
	if err := backup.PutTexts(unpacked, r.Data, now); err != nil {
		return err
	}
	if err := putBackBy(r.Data, kept.Tip, r.keeping, now); err != nil {
		return err
	}
	fmt.Printf("Restored: %d events checked.\n", kept.Events)
	if aside != "" {
		fmt.Printf("What was there is kept as %s.\n", aside)
	}
	return nil
}

type verify struct {
	place
	keeping
	Rebuild bool `help:"Also compute every list anew from the events."`
}

// Run checks the chain.
func (v verify) Run() error {
	open := ledger.OpenKept
	if v.Rebuild {
		open = ledger.Reopen
	}
	l, err := open(v.Data)
	if err != nil {
		return err
	}
	defer l.Close()
	if !v.Rebuild {
		held, err := workshop.Hold(l, v.folders(v.Data)...)
		if err != nil {
			return err
		}
		fmt.Printf("The record holds: %d events checked, every register is what they give.\n", held.Events)
		for _, b := range held.Backwards {
			fmt.Println("Mind: " + b.String() + ".")
		}
		if held.Checkpoints == 0 {
			fmt.Println("There are no checkpoints to hold it against: name their folder by --keys. Whoever had the files could have written it all anew.")
			return nil
		}
		fmt.Printf("It is what was signed: %d checkpoints.\n", held.Checkpoints)
		return nil
	}
	n, err := l.Verify()
	if err != nil {
		return err
	}
	fmt.Printf("The record holds: %d events checked.\n", n)
	differences, err := l.Rebuild()
	if err != nil {
		return err
	}
	for _, d := range differences {
		fmt.Println("Put right: " + d.String())
	}
	if len(differences) == 0 {
		fmt.Println("Every list is what the events give.")
	}
	return nil
}

// unpack takes a backup out into a folder of its own; the passphrase of one that is encrypted is asked for.
func (r restore) unpack() (folder string, err error) {
	if folder, err = os.MkdirTemp("", "restore"); err != nil {
		return "", err
	}
	words := ""
	for {
		in, err := os.Open(r.File)
		if err != nil {
			return folder, err
		}
		err = errors.Join(backup.Unpack(in, words, folder), in.Close())
		if !errors.Is(err, backup.ErrEncrypted) {
			return folder, err
		}
		if words, err = passphrase(); err != nil {
			return folder, err
		}
	}
}

// putBackBy says in a restored record that it was put back, and signs that.
func putBackBy(data string, copied int64, k keeping, now time.Time) error {
	l, err := ledger.Open(data)
	if err != nil {
		return err
	}
	defer l.Close()
	if err := l.Log(ledger.Act{Kind: "backup put back", By: ledger.Nobody, At: now, Why: "on the command line"},
		"record/backup"); err != nil {
		return err
	}
	s, err := seal.New(k.folder(data), k.Checkpoints)
	if err != nil {
		return err
	}
	return s.Restored(l, copied, now, "the command line")
}

// copyHolds holds a backup against what was signed here, before it is put in the place of the record.
func copyHolds(data, file string, k keeping) error {
	s, err := seal.New(k.folder(data), k.Checkpoints)
	if err != nil {
		return err
	}
	return ledger.WithCopy(file, func(l *ledger.Ledger) error { return workshop.CopyHolds(l, s) })
}
