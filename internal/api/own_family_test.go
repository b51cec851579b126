package api_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A lab's own family needs no Go: its procedure is written, tried against simulated devices and standards
// made from what its roles need, released, and its interval makes the duty of a device of that family.
func TestALabsOwnFamilyNeedsNoProgramming(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	before := enter(lead, "GA-1")
	assert.Empty(t, get[workshop.AssetView](lead, "/api/assets/"+before).Activities, "nothing is known of the family yet")
	text, err := os.ReadFile(filepath.Join("testdata", "gas-alarm.yaml"))
	require.NoError(t, err)
	tried := posted[workshop.DryRun](lead, "/api/writing/try", order{"text": string(text)})
	require.Empty(t, tried.Mistakes)
	require.Empty(t, tried.Stopped)
	assert.Equal(t, "gas-alarm-check", tried.ID)
	assert.True(t, tried.New)
	assert.EqualValues(t, "conforms", tried.Result)
	h.released(string(text), "")

	for _, id := range []string{before, enter(lead, "GA-2")} {
		a := get[workshop.AssetView](lead, "/api/assets/"+id)
		require.Len(t, a.Activities, 1)
		assert.Equal(t, "gas-alarm-check", a.Activities[0].Procedure)
		assert.Contains(t, a.Activities[0].Triggers, "every 3 months")
	}
	assert.Len(t, get[workshop.AssetView](lead, "/api/assets/"+before).Activities, 1)
	h.released(strings.Replace(string(text), "revision: 1", "revision: 2", 1), "")
	assert.Len(t, get[workshop.AssetView](lead, "/api/assets/"+before).Activities, 1, "a further revision makes no second duty")

	lead.open("GA-1") // it is on the bench
	_, err = h.ledger.Verify()
	require.NoError(t, err)
}

// enter enters a gas alarm, and returns its id.
func enter(c *client, tag string) string {
	return posted[workshop.AssetView](c, "/api/assets", map[string]any{
		"tag":    tag,
		"serial": "4471-" + tag,
		"maker":  "Kestmoor",
		"model":  "G1",
		"family": "gas-alarm",
		"site":   "Merrowby General",
		"place":  "Workshop",
		"risk":   3,
	}).ID
}
