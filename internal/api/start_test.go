package api_test

import (
	"bytes"
	"path/filepath"
	"sync"
	"testing"

	"northneedle/internal/ledger"
	"northneedle/internal/seal"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAnEmptyRecordIsBegunByWhoeverHasTheServer(t *testing.T) {
	folder := t.TempDir()
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	h := houseOf(t, folder, l)
	h.shop.Demo, h.shop.StartCode = false, "CODEOFSERVER"
	stranger := h.client()
	assert.True(t, get[workshop.SessionView](stranger, "/api/session").Empty)
	begin := func(change func(order)) order {
		o := order{"code": "CODEOFSERVER", "lab": "Merrowby workshop",
			"administrator": order{"name": "Bram Ostley", "password": "moss lantern harbour"},
			"lead":          order{"name": "Tamsin Orrery", "password": "kettle orchard violin"}}
		change(o)
		return o
	}
	for field, change := range map[string]func(order){
		"code":                   func(o order) { o["code"] = "guessed" },
		"lab":                    func(o order) { o["lab"] = " " },
		"lead.name":              func(o order) { o["lead"].(order)["name"] = "bram  ostley" },
		"lead.password":          func(o order) { o["lead"].(order)["password"] = "moss lantern harbour" },
		"administrator.password": func(o order) { o["administrator"].(order)["password"] = "Bram Ostley 12" },
	} {
		assert.Equal(t, field, stranger.problem("/api/session/start", begin(change), 422).Field)
	}
	assert.True(t, get[workshop.SessionView](stranger, "/api/session").Empty, "what was refused registered nobody")

	// Two begin at once: one does, and there are two accounts, not three.
	var done [2]int
	var both sync.WaitGroup
	for i := range done {
		c := h.client()
		both.Go(func() {
			done[i], _ = c.call("POST", "/api/session/start", begin(func(o order) { o["code"] = " codeof server" }))
		})
	}
	both.Wait()
	assert.ElementsMatch(t, []int{204, 409}, done[:])
	everyone, err := h.ledger.Everyone()
	require.NoError(t, err)
	assert.Len(t, everyone, 2)
	assert.Equal(t, 409, statusOf(stranger.call("POST", "/api/session/start", begin(func(order) {}))))
	assert.False(t, get[workshop.SessionView](stranger, "/api/session").Empty)
	lead, administrator := h.client(), h.client()
	assert.Equal(t, "Merrowby workshop", posted[workshop.SessionView](lead, "/api/session",
		order{"name": "Tamsin Orrery", "password": "kettle orchard violin"}).Lab)
	posted[workshop.SessionView](administrator, "/api/session", order{"name": "Bram Ostley",
		"password": "moss lantern harbour"})

	// What is open is what was not done, whoever asks; a workshop can do without some of it.
	states := func() map[string]string {
		all := map[string]string{}
		for _, s := range get[[]workshop.FirstStep](administrator, "/api/house/first-steps") {
			all[s.ID] = s.State
		}
		return all
	}
	assert.Equal(t, "done", states()["instruments"], "the bench of these tests is connected")
	for id, state := range states() {
		assert.Equal(t, id != "instruments", state == "open", id)
	}
	assert.Equal(t, 403, statusOf(administrator.call("POST", "/api/house/first-steps", order{"id": "logo", "without": true})))
	posted[[]workshop.FirstStep](lead, "/api/house/first-steps", order{"id": "logo", "without": true})
	assert.Equal(t, "without", states()["logo"])
	posted[[]workshop.FirstStep](lead, "/api/house/first-steps", order{"id": "logo", "without": false})
	assert.Equal(t, "open", states()["logo"])
	posted[workshop.HouseView](lead, "/api/house/address", order{"address": "https://needle.example"})
	assert.Equal(t, "done", states()["address"])

	// The key comes out under a passphrase, and is the workshop's.
	assert.Equal(t, "passphrase", administrator.problem("/api/house/key", order{"passphrase": "short"}, 422).Field)
	assert.Equal(t, "open", states()["key"])
	status, body := administrator.call("POST", "/api/house/key", order{"passphrase": "a safe far away"})
	require.Equal(t, 200, status, string(body))
	other := filepath.Join(t.TempDir(), "keys")
	require.NoError(t, seal.ImportKey(other, "a safe far away", bytes.NewReader(body)))
	same, err := seal.New(other, "")
	require.NoError(t, err)
	assert.Equal(t, h.shop.Seal.Public, same.Public)
	assert.Equal(t, "done", states()["key"])
}
