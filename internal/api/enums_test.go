package api

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// constants are the values of the constants that are declared with a type in its own package.
func constants(t *testing.T, of reflect.Type) (values []string) {
	folder := filepath.Join("..", "..", strings.TrimPrefix(of.PkgPath(), "northneedle/"))
	entries, err := os.ReadDir(folder)
	require.NoError(t, err)
	for _, e := range entries {
		if filepath.Ext(e.Name()) != ".go" {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), filepath.Join(folder, e.Name()), nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			spec, ok := n.(*ast.ValueSpec)
			if !ok {
				return true
			}
			if name, ok := spec.Type.(*ast.Ident); !ok || name.Name != of.Name() {
				return true
			}
			for _, v := range spec.Values {
				if literal, ok := v.(*ast.BasicLit); ok {
					text, err := strconv.Unquote(literal.Value)
					require.NoError(t, err)
					values = append(values, text)
				}
			}
			return true
		})
	}
	return values
}

func TestTheDescriptionNamesEveryWord(t *testing.T) {
	require.NotEmpty(t, words)
	for of, list := range words {
		var named []string
		for _, v := range list {
			named = append(named, reflect.ValueOf(v).String())
		}
		assert.ElementsMatch(t, constants(t, of), named, of)
	}
	text, err := Description()
	require.NoError(t, err)
	for of, list := range words {
		last := strconv.Quote(reflect.ValueOf(list[len(list)-1]).String())
		assert.True(t, strings.Contains(string(text), last), "%s is not in it", of)
	}
}
