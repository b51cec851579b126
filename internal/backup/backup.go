// Package backup packs everything of a workshop but its private key into one file, and takes it out again: the record,
// which holds the settings, the people and every public key, and the workshop's own texts beside it.
package backup

import (
	"archive/tar"
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"northneedle/internal/ledger"
	"northneedle/internal/seal"
)

// Texts are the folders beside the record that hold the workshop's own procedures, duties and profiles.
var Texts = []string{"procedures", "instruments"}

// mostUnpacked is how much a backup may hold, unpacked.
const mostUnpacked = 8 << 30

// Write packs a record that may be in use, and the texts beside it in its data folder. With a passphrase it is encrypted.
func Write(l *ledger.Ledger, data, passphrase string, to io.Writer) error {
	if passphrase == "" {
		return pack(l, data, to)
	}
	from, into := io.Pipe()
	go func() { into.CloseWithError(pack(l, data, into)) }()
	err := seal.Encrypt(passphrase, from, to)
	from.CloseWithError(err)
	return err
}

func pack(l *ledger.Ledger, data string, to io.Writer) error {
	folder, err := os.MkdirTemp("", "backup")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	copied := filepath.Join(folder, ledger.File)
	if err := l.Backup(copied); err != nil {
		return err
	}
	out := tar.NewWriter(to)
	if err := put(out, copied, ledger.File); err != nil {
		return err
	}
	for _, texts := range Texts {
		err := filepath.WalkDir(filepath.Join(data, texts), func(path string, entry fs.DirEntry, err error) error {
			if err != nil || !entry.Type().IsRegular() {
				return err
			}
			name, err := filepath.Rel(data, path)
			if err != nil {
				return err
			}
			return put(out, path, filepath.ToSlash(name))
		})
		if err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	return out.Close()
}

func put(out *tar.Writer, file, name string) error {
	in, err := os.Open(file)
	if err != nil {
		return err
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil {
		return err
	}
	if err := out.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: info.Size(), ModTime: info.ModTime(),
		Format: tar.FormatPAX}); err != nil {
		return err
	}
	_, err = io.CopyN(out, in, info.Size())
	return err
}

// WriteFile packs into a new file that only its owner reads: it is there whole, or not at all.
func WriteFile(l *ledger.Ledger, data, passphrase, file string) error {
	fresh := file + ".new"
	out, err := os.OpenFile(fresh, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	err = errors.Join(Write(l, data, passphrase, out), out.Sync(), out.Close())
	if err == nil {
		err = os.Rename(fresh, file)
	}
	if err != nil {
		return errors.Join(err, os.Remove(fresh))
	}
	return nil
}

// What a backup begins with, by its kind.
var (
	database  = []byte("SQLite format 3\x00")
	encrypted = []byte("age-encryption.org/")
)

// ErrEncrypted says that a backup is encrypted, and no passphrase was given.
var ErrEncrypted = errors.New("the backup is encrypted: give its passphrase")

// Unpack takes a backup out into an empty folder: the record under its name, and the folders of texts. A record alone,
// as earlier versions wrote it, is one too.
func Unpack(from io.Reader, passphrase, folder string) error {
	head := make([]byte, len(encrypted))
	n, err := io.ReadFull(from, head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) {
		return errors.New("this is no backup of a ledger: it is empty")
	}
	from = io.MultiReader(bytes.NewReader(head[:n]), from)
	switch {
	case bytes.HasPrefix(head, database):
		return save(io.LimitReader(from, mostUnpacked), filepath.Join(folder, ledger.File))
	case bytes.Equal(head, encrypted):
		if passphrase == "" {
			return ErrEncrypted
		}
		whole := filepath.Join(folder, "decrypted")
		out, err := os.OpenFile(whole, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
		if err != nil {
			return err
		}
		defer os.Remove(whole)
		defer out.Close()
		if err := seal.Decrypt(passphrase, from, out); err != nil { // changed or cut off: known only at its end
			return err
		}
		if _, err := out.Seek(0, io.SeekStart); err != nil {
			return err
		}
		return untar(out, folder)
	}
	return untar(from, folder)
}

// untar takes out what a backup may hold, and nothing else.
func untar(from io.Reader, folder string) error {
	in, left, found := tar.NewReader(from), int64(mostUnpacked), false
	for {
		header, err := in.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return errors.New("this is no backup of a ledger: " + err.Error())
		}
		if left -= header.Size; header.Typeflag != tar.TypeReg || !expected(header.Name) || left < 0 {
			return fmt.Errorf("this is no backup of a ledger: it holds %q", header.Name)
		}
		found = found || header.Name == ledger.File
		file := filepath.Join(folder, filepath.FromSlash(header.Name))
		if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
			return err
		}
		if err := save(in, file); err != nil {
			return err
		}
	}
	if !found {
		return errors.New("this is no backup of a ledger: there is none in it")
	}
	return nil
}

// expected reports whether a name is one that a backup is made with.
func expected(name string) bool {
	if name == ledger.File {
		return true
	}
	folder, _, _ := strings.Cut(name, "/")
	for _, texts := range Texts {
		if folder == texts && filepath.IsLocal(name) && !strings.ContainsAny(name, "\\:") {
			return true
		}
	}
	return false
}

func save(from io.Reader, file string) error {
	out, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, from)
	return errors.Join(err, out.Sync(), out.Close())
}

// PutTexts puts the texts of an unpacked backup in the place of those of a data folder, whose own are kept aside.
func PutTexts(unpacked, data string, now time.Time) error {
	for _, texts := range Texts {
		own, fresh := filepath.Join(data, texts), filepath.Join(unpacked, texts)
		if _, err := os.Stat(own); err == nil {
			if err := os.Rename(own, own+"."+now.Format("20060102-150405")); err != nil {
				return err
			}
		}
		if _, err := os.Stat(fresh); err != nil {
			continue
		}
		if err := os.CopyFS(own, os.DirFS(fresh)); err != nil {
			return err
		}
	}
	return nil
}
