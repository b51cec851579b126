package files_test

import (
	"strings"
	"testing"
	"unicode/utf8"

	"northneedle/internal/files"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestWhatIsTaken(t *testing.T) {
	for content, sort := range map[string]string{"%PDF-1.7\n…": "application/pdf", "\xff\xd8\xff\xe0": "image/jpeg",
		"\x89PNG\r\n\x1a\n": "image/png", "leak 3 ml\n": "text/plain; charset=utf-8", "": "", "<html><script>": "", "PK\x03\x04": "",
		"<?xml version=\"1.0\"?><svg xmlns=\"http://www.w3.org/2000/svg\"/>": "", "MZ\x90\x00": "", "\x00\x01": "",
		"caf\xe9 in another encoding": ""} {
		found, err := files.TypeOf([]byte(content))
		assert.Equal(t, sort, found, "%q", content)
		assert.Equal(t, sort == "", err != nil, "%q", content)
	}
	r := files.Room{Each: 1000, Of: 2500, All: 4000}
	assert.NoError(t, r.Check())
	assert.NoError(t, r.Fits(1000, 1500, 3000))
	assert.ErrorContains(t, r.Fits(1001, 0, 0), "at most 1 kB")
	assert.ErrorContains(t, r.Fits(1000, 1501, 0), "here already")
	assert.ErrorContains(t, r.Fits(1000, 0, 3001), "the workshop keeps")
	for _, wrong := range []files.Room{{}, {Each: 5000, Of: 2000, All: 9000}, {Each: 1000, Of: 9000, All: 8000},
		{Each: files.Largest + 1, Of: 1e11, All: 1e12}} {
		assert.Error(t, wrong.Check())
	}
	assert.NoError(t, files.Default.Check())
}

func TestAFilesNameDoesNothing(t *testing.T) {
	for given, name := range map[string]string{"scan.pdf": "scan.pdf", "../../etc/passwd": "passwd", `C:\temp\Prüfung 3.pdf`: "Prüfung 3.pdf",
		"": "document", "...": "document", "a\x00\r\nb.txt": "ab.txt", "exe\u202efdp.scan": "exefdp.scan"} {
		assert.Equal(t, name, files.Name(given))
	}
	rapid.Check(t, func(t *rapid.T) {
		name := files.Name(rapid.String().Draw(t, "given"))
		assert.True(t, name != "" && utf8.ValidString(name) && !strings.ContainsAny(name, "/\\\n\r\x00"), name)
		assert.Equal(t, name, files.Name(name), "once is enough")
	})
}
