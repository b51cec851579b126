package e2e_test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"northneedle/e2e/browser"

	"github.com/stretchr/testify/require"
)

// A newcomer begins on an empty folder, with the code that the server said: two accounts, the key, and a register of
// 300 devices; Today says what is still open.
func TestAWorkshopBeginsOnAnEmptyFolder(t *testing.T) {
	t.Parallel()
	s := launch(t, t.TempDir(), "serve")
	said := regexp.MustCompile(`code=(\w+)`)
	require.Eventually(t, func() bool { return said.MatchString(s.out.String()) }, browser.Patience, browser.Patience/100)
	p := openPage(t, s, "")
	p.must(p.Go("/"))
	p.see("Nothing is recorded here yet", "One human may hold both")
	for field, text := range map[string]string{"lab": "Merrowby workshop", "code": "nothing",
		"administrator-name":     "Bram Ostley",
		"administrator-password": "moss lantern harbour", "lead-name": "Tamsin Orrery", "lead-password": "kettle orchard violin"} {
		p.must(p.Fill("input[name="+field+"]", text))
	}
	p.must(p.Press("Begin, and sign in"))
	p.see("not the code that the server said")
	p.must(p.Fill("input[name=code]", said.FindStringSubmatch(s.out.String())[1]))
	p.must(p.Press("Begin, and sign in"))
	p.see("Still open in this workshop: 11 of 11")
	p.must(p.Press("We do without")) // the last of them
	p.see("Still open in this workshop: 10 of 11")

	p.must(p.Go("/house/record"))
	p.must(p.Fill("input[name=key-passphrase]", "a safe far away"))
	p.must(p.Press("Export the key"))
	p.see("The key is in the file")

	var list strings.Builder
	list.WriteString("tag,serial,maker,model,family,site,place,last_done,months,status\n")
	for i := range 300 {
		fmt.Fprintf(&list,
			"NN-%03d,S%05d,Ostrel,C2 capnograph,capnograph,Merrowby General,Ward %d,2026-0%d-10,12,in use\n", i, i, i%9, 1+i%9)
	}
	file := filepath.Join(t.TempDir(), "devices.csv")
	require.NoError(t, os.WriteFile(file, []byte(list.String()), 0o600))
	p.must(p.Go("/house/lists"))
	p.must(p.Attach("input[type=file]", file))
	p.see("300 rows can be taken")
	p.must(p.Press("Take the 300 rows in"))
	p.see("All of them are in")
	p.must(p.Go("/"))
	p.see("Still open in this workshop: 8 of 11", "NN-")
	require.Empty(t, p.Troubles())
	again := openPage(t, s, "")
	again.must(again.Go("/"))
	again.see("Sign in")
}
