package main

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"northneedle/internal/seal"
)

// keeping is where the workshop's key and its checkpoints are.
type keeping struct {
	Keys        string `env:"NEEDLE_KEYS" placeholder:"FOLDER" help:"Folder of the workshop's key and checkpoints, apart from the record; left out: beside the data folder." type:"path"`
	Checkpoints string `env:"NEEDLE_CHECKPOINTS" placeholder:"FOLDER" help:"A second folder for the checkpoints, on another disk." type:"path"`
}

// folder is where the key is, for a data folder.
func (k keeping) folder(data string) string {
	if k.Keys != "" {
		return k.Keys
	}
	return filepath.Clean(data) + "-keys"
}

// folders are those that hold checkpoints; none where nothing was signed.
func (k keeping) folders(data string) (all []string) {
	for _, folder := range []string{k.folder(data), k.Checkpoints} {
		if folder == "" {
			continue
		}
		if _, err := os.Stat(filepath.Join(folder, seal.CheckpointFile)); err == nil {
			all = append(all, folder)
		}
	}
	return all
}

type keyExport struct {
	place
	keeping
	File string `arg:"" help:"New file to write." type:"path"`
}

// passphrase reads one from standard input.
func passphrase() (string, error) {
	fmt.Fprint(os.Stderr, "Passphrase: ")
	text, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && text == "" {
		return "", errors.New("no passphrase was given on standard input")
	}
	return strings.TrimRight(text, "\r\n"), nil
}

// Run writes the workshop's key under a passphrase.
func (k keyExport) Run() error {
	words, err := passphrase()
	if err != nil {
		return err
	}
	out, err := os.OpenFile(k.File, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	if err := errors.Join(seal.ExportKey(k.folder(k.Data), words, out), out.Close()); err != nil {
		return errors.Join(err, os.Remove(k.File))
	}
	fmt.Printf("The key is in %s. Keep it in a safe, and the passphrase in another.\n", k.File)
	return nil
}

type keyImport struct {
	place
	keeping
	File string `arg:"" help:"Exported key." type:"existingfile"`
}

// Run puts an exported key where there is none.
func (k keyImport) Run() error {
	words, err := passphrase()
	if err != nil {
		return err
	}
	in, err := os.Open(k.File)
	if err != nil {
		return err
	}
	defer in.Close()
	return seal.ImportKey(k.folder(k.Data), words, in)
}
