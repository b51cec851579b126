// Package procedures ships the procedures as data, and reads others like them.
package procedures

import (
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"northneedle/core/procedure"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
)

//go:embed *.yaml
var shipped embed.FS

//go:embed schema.json
var schema []byte

// Schema is the published JSON Schema (draft 2020-12) of a procedure file.
func Schema() []byte { return slices.Clone(schema) }

// maxSize keeps a mistaken file from being read for long.
const maxSize = 1 << 20

// Mistake is one thing wrong with a procedure file.
type Mistake struct {
	File    string
	Line    int // 0 where it has none
	Field   string
	Message string
}

func (m Mistake) Error() string {
	text := m.File
	if m.Line > 0 {
		text += ":" + strconv.Itoa(m.Line)
	}
	if m.Field != "" {
		text += ": " + m.Field
	}
	return text + ": " + m.Message
}

// Read reads one procedure file. Its error joins a [Mistake] for everything that
// is wrong, each with file, line and field.
func Read(file string, text []byte) (p procedure.Procedure, err error) {
	if len(text) > maxSize {
		return p, Mistake{File: file, Message: "the file is larger than 1 MiB: this is no procedure"}
	}
	defer func() { // the YAML library is handed whatever a person wrote
		if r := recover(); r != nil {
			p, err = procedure.Procedure{}, Mistake{File: file, Message: "this is not readable as YAML"}
		}
	}()
	if err := yaml.UnmarshalWithOptions(text, &p, yaml.Strict()); err != nil {
		return procedure.Procedure{}, syntax(file, err)
	}
	p = p.Settled()
	mistakes := p.Check()
	if len(mistakes) == 0 {
		return p, nil
	}
	tree, _ := parser.ParseBytes(text, 0)
	all := make([]error, len(mistakes))
	for i, m := range mistakes {
		all[i] = Mistake{file, lineOf(tree, m.Path), m.Path, m.Message}
	}
	return procedure.Procedure{}, errors.Join(all...)
}

var position = regexp.MustCompile(`^\[(\d+):\d+\] (.*)`)

// syntax turns the library's error into a mistake with its line.
func syntax(file string, err error) error {
	first, _, _ := strings.Cut(yaml.FormatError(err, false, false), "\n")
	m := Mistake{File: file, Message: first}
	if at := position.FindStringSubmatch(first); at != nil {
		m.Line, _ = strconv.Atoi(at[1])
		m.Message = at[2]
	}
	if name, ok := strings.CutPrefix(m.Message, "unknown field "); ok {
		m.Field, m.Message = strings.Trim(name, `"`), "is not a field a procedure has"
	}
	return m
}

// lineOf finds the line of a field, or of the nearest thing around it that exists.
func lineOf(tree *ast.File, path string) int {
	for tree != nil && path != "" {
		if p, err := yaml.PathString("$." + path); err == nil {
			if node, err := p.FilterFile(tree); err == nil && node != nil && node.GetToken() != nil {
				return node.GetToken().Position.Line
			}
		}
		cut := strings.LastIndexAny(path, ".[")
		if cut < 0 {
			break
		}
		path = path[:cut]
	}
	return 1
}

// Hash identifies a procedure's content.
func Hash(p procedure.Procedure) string {
	text, _ := json.Marshal(p) // a checked procedure always marshals
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:])
}

// Shipped are the procedures that come with the product.
func Shipped() ([]procedure.Procedure, error) { return readAll(shipped, ".") }

// All are the shipped procedures with a lab's own from a folder, which may not
// exist. A lab's procedure of the same id takes the place of the shipped one.
func All(folder string) ([]procedure.Procedure, error) {
	all, err := Shipped()
	if err != nil {
		return nil, err
	}
	if _, err := os.Stat(folder); folder == "" || err != nil {
		return all, nil
	}
	own, err := readAll(os.DirFS(folder), filepath.Base(folder))
	if err != nil {
		return nil, err
	}
	for _, p := range own {
		if i := slices.IndexFunc(all, func(s procedure.Procedure) bool { return s.ID == p.ID }); i >= 0 {
			all[i] = p
		} else {
			all = append(all, p)
		}
	}
	return all, nil
}

func readAll(folder fs.FS, name string) ([]procedure.Procedure, error) {
	files, err := fs.Glob(folder, "*.yaml")
	if err != nil {
		return nil, err
	}
	var all []procedure.Procedure
	var mistakes []error
	for _, file := range files {
		text, err := fs.ReadFile(folder, file)
		if err != nil {
			return nil, fmt.Errorf("procedure %s: %w", file, err)
		}
		p, err := Read(filepath.Join(name, file), text)
		if err != nil {
			mistakes = append(mistakes, err)
			continue
		}
		all = append(all, p)
	}
	return all, errors.Join(mistakes...)
}

// Text is a procedure as it is written: the shipped one, or, with a folder, a lab's own.
func Text(folder, id string) (string, error) {
	files := fs.FS(shipped)
	if folder != "" {
		files = os.DirFS(folder)
	}
	names, err := fs.Glob(files, "*.yaml")
	if err != nil {
		return "", err
	}
	for _, name := range names {
		text, err := fs.ReadFile(files, name)
		if err != nil {
			return "", err
		}
		if p, err := Read(name, text); err == nil && p.ID == id {
			return string(text), nil
		}
	}
	return "", fs.ErrNotExist
}
