// Package files says which documents and photographs the record takes, how much of them, and by what each is known: the hash of
// its content, so that the same one is kept once however often it is handed in.
package files

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"path"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Room is how much a workshop keeps, in bytes.
type Room struct {
	Each int64 `json:"each" doc:"of one file, in bytes" minimum:"1000" maximum:"20000000"`
	Of   int64 `json:"of" doc:"of one device or reference" minimum:"1000" maximum:"100000000000"`
	All  int64 `json:"all" doc:"of all together, each content counted once" minimum:"1000" maximum:"1000000000000"`
}

// Default is what counts until a workshop says otherwise: a scanned certificate has about 1 MB, a photograph 0.3 MB.
var Default = Room{Each: 10_000_000, Of: 200_000_000, All: 5_000_000_000}

// Largest is how much of one file is ever read.
const Largest = 20_000_000

// Check names what cannot be.
func (r Room) Check() error {
	switch {
	case r.Each < 1000 || r.Each > Largest:
		return fmt.Errorf("one file has from 1 kB to %s", Size(Largest))
	case r.Of < r.Each:
		return errors.New("a device takes at least one file: its share is below the largest file")
	case r.All < r.Of:
		return errors.New("all together are at least what one device takes")
	}
	return nil
}

// Full says that there is no room for a file.
type Full struct{ words string }

func (f *Full) Error() string { return f.words }

// Fits refuses a file that is too large, or that there is no room for beside what is kept: of what it is about, and of all.
func (r Room) Fits(size, of, all int64) error {
	switch {
	case size > r.Each:
		return &Full{fmt.Sprintf("it has %s; one file has at most %s: scan it smaller, or in parts", Size(size), Size(r.Each))}
	case of+size > r.Of:
		return &Full{fmt.Sprintf("%s are kept here already, and %s is what there is room for: ask whoever sets that",
			Size(of), Size(r.Of))}
	case all+size > r.All:
		return &Full{fmt.Sprintf("the workshop keeps %s of files, and %s is what there is room for: ask whoever sets that", Size(all), Size(r.All))}
	}
	return nil
}

// Size is a number of bytes in words.
func Size(n int64) string {
	switch {
	case n == 0:
		return "nothing"
	case n >= 1e9:
		return fmt.Sprintf("%.3g GB", float64(n)/1e9)
	case n >= 1e6:
		return fmt.Sprintf("%.3g MB", float64(n)/1e6)
	}
	return fmt.Sprintf("%.0f kB", max(1, float64(n)/1e3))
}

// Hash is what a content is known by: SHA-256, in hexadecimal.
func Hash(content []byte) string {
	sum := sha256.Sum256(content)
	return hex.EncodeToString(sum[:])
}

// TypeOf is the media type of a content, by what stands in it and not by its name: a PDF, a JPEG or PNG picture, or plain text.
// Anything else is refused: it could do something when it is opened.
func TypeOf(content []byte) (string, error) {
	switch sniffed := http.DetectContentType(content); {
	case len(content) == 0:
		return "", errors.New("it is empty")
	case sniffed == "application/pdf", sniffed == "image/jpeg", sniffed == "image/png":
		return sniffed, nil
	case strings.HasPrefix(sniffed, "text/plain") && utf8.Valid(content) && !bytes.ContainsRune(content, 0):
		return "text/plain; charset=utf-8", nil
	}
	return "", errors.New("it is no PDF, no JPEG or PNG picture, and no plain text: save it as one of these")
}

// longest is how many letters the name of a file has at most.
const longest = 120

// Name is the name of a file as it is shown and handed out: its last part, without what cannot be seen or turns the writing.
func Name(given string) string {
	name := path.Base(strings.ReplaceAll(strings.ToValidUTF8(given, ""), `\`, "/"))
	name = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || unicode.Is(unicode.Cf, r) {
			return -1
		}
		return r
	}, name)
	name = strings.Trim(strings.Join(strings.Fields(name), " "), ". ")
	if runes := []rune(name); len(runes) > longest {
		name = string(runes[:longest])
	}
	if name == "" || name == "/" {
		return "document"
	}
	return name
}
