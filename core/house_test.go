package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// mayImport is the house: which of the project's rooms each room may import, by their folders. Core is
// open to all, and a room to what lies in it.
var mayImport = map[string][]string{
	"core":                {},
	"families":            {},
	"instruments":         {},
	"internal/definition": {"families", "instruments", "internal/instrument"},
	"internal/instrument": {},
	"internal/ledger":     {"internal/definition"},
	"internal/people":     {"internal/ledger"},
	"internal/seal":       {},
	"internal/files":      {},
	"internal/backup":     {"internal/ledger", "internal/seal"},
	"internal/paper":      {},
	"internal/mail":       {},
	"internal/exchange":   {"internal/definition", "internal/ledger"},
	"internal/capture":    {"internal/instrument", "internal/ledger"},
	"internal/sim":        {"internal/capture", "internal/instrument"},
	"internal/demo": {"internal/capture", "internal/definition", "internal/ledger", "internal/mail", "internal/people",
		"internal/sim"},
	"internal/workshop": {"families", "internal/backup", "internal/capture", "internal/definition", "internal/exchange",
		"internal/files", "internal/instrument", "internal/ledger", "internal/mail", "internal/paper", "internal/people", "internal/seal"},
	"internal/api": {"families", "internal/capture", "internal/definition", "internal/files", "internal/instrument",
		"internal/ledger",
		"internal/paper", "internal/people", "internal/workshop", "web"},
	"web":  {},
	"ci":   {},
	"cmd":  {"internal"},
	"perf": {"internal", "web"},
	"e2e":  {"internal/workshop"},
}

// onlyIn are libraries that one room keeps to itself.
var onlyIn = map[string]string{
	"gorm.io/": "internal/ledger", "github.com/glebarez/": "internal/ledger",
	"github.com/danielgtaylor/huma": "internal/api", "github.com/go-chi/": "internal/api",
	"github.com/alexedwards/": "internal/people", "github.com/coreos/go-oidc": "internal/people",
	"github.com/go-webauthn/": "internal/people", "github.com/gorilla/securecookie": "internal/people",
	"github.com/go-jose/": "internal/seal", "filippo.io/age": "internal/seal", "github.com/pdfcpu/": "internal/paper",
	"github.com/wneessen/go-mail": "internal/mail",
}

func TestAnArrowNeverRunsBackUp(t *testing.T) {
	seen := map[string]bool{}
	err := filepath.WalkDir("..", func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if entry.IsDir() && (entry.Name() == "node_modules" ||
			strings.HasPrefix(entry.Name(), ".") && len(entry.Name()) > 2) {
			return filepath.SkipDir
		}
		if entry.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		folder := filepath.ToSlash(filepath.Dir(strings.TrimPrefix(filepath.ToSlash(path), "../")))
		room := roomOf(folder)
		require.NotEmpty(t, room, "%s lies in no room of the house", path)
		seen[room] = true
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		require.NoError(t, err)
		for _, spec := range file.Imports {
			name := strings.Trim(spec.Path.Value, `"`)
			for library, owner := range onlyIn {
				if strings.HasPrefix(name, library) && room != "perf" { // what measures compares with the bare library
					assert.Equal(t, owner, room, "%s imports %s", path, name)
				}
			}
			if !strings.HasPrefix(name, "northneedle/") {
				continue
			}
			name = strings.TrimPrefix(name, "northneedle/")
			open := append([]string{"core", room}, mayImport[room]...)
			assert.True(t, within(name, open), "%s imports %s: %s may not", path, name, room)
			if within(name, []string{"internal/demo"}) {
				assert.True(t, within(room, []string{"cmd", "perf", "internal/demo"}),
					"%s imports the demo, which is the command's alone", path)
			}
		}
		return nil
	})
	require.NoError(t, err)
	assert.Len(t, seen, len(mayImport), "a room that is not there any more")
}

func roomOf(folder string) string {
	for room := range mayImport {
		if within(folder, []string{room}) {
			return room
		}
	}
	return ""
}

// within says whether a folder is one of some rooms, or lies in one.
func within(folder string, rooms []string) bool {
	for _, room := range rooms {
		if folder == room || strings.HasPrefix(folder, room+"/") {
			return true
		}
	}
	return false
}
