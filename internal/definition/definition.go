// Package definition reads procedures and duties from YAML: those shipped with the families, and
// a lab's own. Every mistake is named by file, line and field.
package definition

import (
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"northneedle/core/procedure"
	"northneedle/families"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
)

//go:generate sh -c "go run ./schema > schema.json"

//go:embed schema.json
var schema []byte

// Schema is the published JSON Schema (draft 2020-12) of a procedure file.
func Schema() []byte { return slices.Clone(schema) }

// maxSize keeps a mistaken file from being read for long.
const maxSize = 1 << 20

// dutiesFile is the name of a file of duties, which lies beside procedures.
const dutiesFile = "duties.yaml"

// Mistake is one thing wrong with a file.
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

// document is a procedure's file.
type document struct {
	procedure.Definition `yaml:",inline"`
	Steps                []step `yaml:"steps"`
}

// step is one step, read into the type of its kind.
type step struct{ procedure.Step }

// UnmarshalYAML picks the type by the key that names the kind. A step with none or several of
// these keys stays nil, which the check reports.
func (s *step) UnmarshalYAML(node ast.Node) error {
	var kind procedure.Step
	mapping, ok := node.(*ast.MappingNode)
	if !ok {
		return &yaml.UnexpectedNodeTypeError{Actual: node.Type(), Expected: ast.MappingType, Token: node.GetToken()}
	}
	for _, pair := range mapping.Values {
		var found procedure.Step
		switch pair.Key.String() {
		case "check":
			found = &procedure.CheckStep{}
		case "act":
			found = &procedure.ActStep{}
		case "wait":
			found = &procedure.WaitStep{}
		case "ambient":
			found = &procedure.AmbientStep{}
		case "record":
			found = &procedure.RecordStep{}
		case "measure":
			found = &procedure.Measure{}
		case "finding":
			found = &procedure.Finding{}
		default:
			continue
		}
		if kind != nil {
			return nil
		}
		kind = found
	}
	if kind == nil {
		return nil
	}
	s.Step = kind
	return yaml.NodeToValue(node, kind, yaml.Strict())
}

// readYAML reads a file that holds one document into a value, strictly. what names it: "procedure". The tree tells the
// lines of mistakes that are found later.
func readYAML(file, what string, text []byte, into any) (tree *ast.File, err error) {
	if len(text) > maxSize {
		return nil, Mistake{File: file, Message: "the file is larger than 1 MiB: this is no " + what}
	}
	if err := shallow(text); err != nil {
		return nil, Mistake{File: file, Message: err.Error()}
	}
	defer func() { // the YAML library is handed whatever a person wrote
		if r := recover(); r != nil {
			tree, err = nil, Mistake{File: file, Message: "this is not readable as YAML"}
		}
	}()
	tree, err = parser.ParseBytes(text, 0)
	if err != nil {
		return nil, syntax(file, err)
	}
	if len(tree.Docs) != 1 || tree.Docs[0].Body == nil {
		return nil, Mistake{File: file, Message: "this is no " + what + ": a file holds one"}
	}
	body, _, err := anchors{}.expand(tree.Docs[0].Body)
	if err != nil {
		return nil, syntax(file, err)
	}
	if err := yaml.NodeToValue(body, into, yaml.Strict()); err != nil {
		return nil, syntax(file, err)
	}
	return tree, nil
}

// Read reads one procedure file. The procedure keeps the text, and is identified by its hash.
// The error joins a [Mistake] for everything that is wrong, each with file, line and field.
func Read(file string, text []byte) (*procedure.Procedure, error) {
	var d document
	tree, err := readYAML(file, "procedure", text, &d)
	if err != nil {
		return nil, err
	}
	for _, s := range d.Steps {
		d.Definition.Steps = append(d.Definition.Steps, s.Step)
	}
	p, mistakes := procedure.Compile(d.Definition, catalogue())
	if len(mistakes) == 0 {
		p.Text, p.Hash = string(text), Hash(string(text))
		return p, nil
	}
	all := make([]error, len(mistakes))
	for i, m := range mistakes {
		all[i] = Mistake{file, lineOf(tree, m.Path), m.Path, m.Message}
	}
	return nil, errors.Join(all...)
}

var catalogue = sync.OnceValue(families.Catalogue)

// Catalogue is what procedures can name. It is only read.
func Catalogue() procedure.Catalogue { return catalogue() }

//go:embed templates
var templates embed.FS

// Templates are short procedures to begin a lab's own from.
var Templates = sync.OnceValues(func() ([]*procedure.Procedure, error) {
	folder, err := fs.Sub(templates, "templates")
	if err != nil {
		return nil, err
	}
	return readAll(folder, "templates")
})

// Hash identifies a procedure: SHA-256 of its text as it is kept, in hexadecimal.
func Hash(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:])
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
		m.Field, m.Message = strings.Trim(name, `"`), "is not a field that belongs here"
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

// Shipped are the procedures that come with the families.
var Shipped = sync.OnceValues(func() ([]*procedure.Procedure, error) {
	var all []*procedure.Procedure
	for _, f := range families.All() {
		found, err := readAll(f.Files, f.ID)
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	return all, nil
})

// All are the shipped procedures with a lab's own from a folder, which may not
// exist. A lab's procedure of the same id takes the place of the shipped one.
func All(folder string) ([]*procedure.Procedure, error) {
	shipped, err := Shipped()
	if err != nil {
		return nil, err
	}
	all := slices.Clone(shipped)
	if _, err := os.Stat(folder); folder == "" || err != nil {
		return all, nil
	}
	own, err := readAll(os.DirFS(folder), filepath.Base(folder))
	if err != nil {
		return nil, err
	}
	for _, p := range own {
		if i := slices.IndexFunc(all, func(s *procedure.Procedure) bool { return s.ID == p.ID }); i >= 0 {
			all[i] = p
		} else {
			all = append(all, p)
		}
	}
	return all, nil
}

func readAll(folder fs.FS, name string) ([]*procedure.Procedure, error) {
	files, err := fs.Glob(folder, "*.yaml")
	if err != nil {
		return nil, err
	}
	var all []*procedure.Procedure
	var mistakes []error
	for _, file := range files {
		if file == dutiesFile {
			continue
		}
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
