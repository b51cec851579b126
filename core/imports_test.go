package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// forbidden are the parts of the standard library that touch the world.
var forbidden = map[string]bool{
	"os": true, "net": true, "net/http": true, "database/sql": true, "log": true, "log/slog": true, "sync": true,
	"io/fs": true,
}

func TestImports(t *testing.T) {
	seen := 0
	err := filepath.WalkDir(".", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		seen++
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		require.NoError(t, err)
		source, err := os.ReadFile(path)
		require.NoError(t, err)
		if strings.Contains(string(source), "time.Now(") {
			t.Errorf("%s reads the clock: time comes in with the order", path)
		}
		for _, spec := range file.Imports {
			name := strings.Trim(spec.Path.Value, `"`)
			outside := strings.Contains(strings.SplitN(name, "/", 2)[0], ".") &&
				!strings.HasPrefix(name, "gonum.org/v1/gonum/")
			project := strings.HasPrefix(name, "northneedle/") && !strings.HasPrefix(name, "northneedle/core/")
			if outside || project || forbidden[name] {
				t.Errorf("%s imports %s: core takes only the standard library, gonum and core itself", path, name)
			}
		}
		return nil
	})
	require.NoError(t, err)
	require.Greater(t, seen, 10, "the walk must have seen the core")
}
