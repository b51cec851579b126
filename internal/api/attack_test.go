package api_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"net/http"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/core/runview"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/require"
)

// trials is how many days are played: few as a rule, the full number in "make attack".
var trials = flag.Int("trials", 2, "how many days TestADayUnderAttack plays")

// attacker plays a day of several people at one server, and keeps what was acknowledged.
type attacker struct {
	*house
	random  *rand.Rand
	clients []*client
	names   []string
	runs    []string
	notes   map[string]acknowledged // by their text
	devices map[string]acknowledged // by their tag
	tried   map[string]int
}

// acknowledged is who did something that the server confirmed, and when.
type acknowledged struct {
	by string
	at time.Time
	of string // the run, of a note
}

// A day of two technicians, a trainee and a lead on the same devices: retries, screens that are old,
// ids of others, a session that ended, times that pass. Whatever was confirmed is recorded once, under
// the name and the time of whoever did it; whatever was refused left nothing; every table is what the log
// gives.
func TestADayUnderAttack(t *testing.T) {
	if testing.Short() {
		t.Skip("two whole days")
	}
	total := map[string]int{}
	for trial := range *trials {
		a := &attacker{
			house:   newHouse(t),
			random:  rand.New(rand.NewPCG(uint64(trial), 7)),
			notes:   map[string]acknowledged{},
			devices: map[string]acknowledged{},
			tried:   total,
		}
		for _, name := range []string{"Idris Vail", "Noor Bexley", "Fenn Castellan", "Tamsin Orrery"} {
			a.clients, a.names = append(a.clients, a.signedIn(name)), append(a.names, name)
		}
		for n := range 120 {
			a.now = a.now.Add(time.Duration(1+a.random.IntN(90)) * time.Second)
			a.act(n)
		}
		a.settle()
		a.server.CloseClientConnections()
	}
	t.Logf("%d days: %v", *trials, total)
	for _, kind := range []string{"opened", "noted", "retried", "old screen", "stolen id", "entered", "entered twice",
		"signed out", "set"} {
		require.Positive(t, total[kind], "no day had one: %s", kind)
	}
}

// act does one thing as somebody.
func (a *attacker) act(n int) {
	who := a.random.IntN(len(a.clients))
	c, id := a.clients[who], fmt.Sprintf("attack-%04d", n)
	switch pick := a.random.IntN(20); {
	case pick < 2 || len(a.runs) == 0:
		tag := []string{"MB-0422", "MB-0429", "MB-0466", "AR-0440"}[a.random.IntN(4)]
		status, body := c.call("POST", "/api/runs", map[string]string{"id": id, "asset": tag})
		if status == http.StatusOK {
			a.tried["opened"]++
			a.runs = append(a.runs, view(a.t, body).ID)
		}
	case pick < 14:
		a.note(who, id)
	case pick < 16:
		a.enter(who)
	case pick < 18:
		a.putOff(who, id)
	case pick < 19:
		a.set(who)
	default: // gone home, or the session ran out
		a.tried["signed out"]++
		fresh := a.client()
		status, _ := fresh.call("POST", "/api/assets", map[string]any{
			"tag":    id,
			"maker":  "Kestmoor",
			"model":  "G1",
			"family": "capnograph",
			"site":   "Merrowby General",
			"place":  "",
			"serial": "",
			"risk":   1,
		})
		require.Equal(a.t, http.StatusUnauthorized, status)
		a.clients[who] = a.signedIn(a.names[who])
	}
}

// note notes something on a run that everyone works on: well, from an old screen, again after an answer
// that was lost, or under the id of another person's command.
func (a *attacker) note(who int, id string) {
	c, target := a.clients[who], a.runs[a.random.IntN(len(a.runs))]
	v := get[runview.View](c, "/api/runs/"+target)
	text := fmt.Sprintf("%s by %s", id, a.names[who])
	note := order{"id": id, "kind": "note", "note": text}
	if v.Seq > 2 && a.random.IntN(5) == 0 {
		note["expect"] = v.Seq - 1
		status, body := c.try(v, note)
		require.Equal(a.t, http.StatusConflict, status, string(body))
		a.tried["old screen"]++
		return
	}
	status, body := c.try(v, note)
	require.Equal(a.t, http.StatusOK, status, string(body))
	a.notes[text] = acknowledged{a.names[who], a.now, target}
	a.tried["noted"]++
	switch a.random.IntN(4) {
	case 0: // the answer was lost: the page sends it again, some time later
		a.now = a.now.Add(time.Minute)
		status, body = c.try(v, note)
		require.Equal(a.t, http.StatusOK, status, string(body))
		a.tried["retried"]++
	case 1: // somebody else sends something of their own under that id
		other := (who + 1) % len(a.clients)
		fresh := get[runview.View](a.clients[other], "/api/runs/"+target)
		status, body = a.clients[other].try(fresh, order{"id": id, "kind": "note", "note": "never to be confirmed"})
		require.Equal(a.t, http.StatusConflict, status, "it was not recorded, so it must not be confirmed: %s", body)
		a.tried["stolen id"]++
	}
}

// enter enters a device, and then another one with its tag, written in another way.
func (a *attacker) enter(who int) {
	tag := fmt.Sprintf("ZZ-%03d", len(a.devices))
	body := map[string]any{
		"tag":    tag,
		"maker":  "Kestmoor",
		"model":  "G1",
		"family": "capnograph",
		"site":   "Merrowby General",
		"place":  a.names[who],
		"serial": "",
		"risk":   1,
	}
	status, text := a.clients[who].call("POST", "/api/assets", body)
	if a.names[who] == "Fenn Castellan" {
		require.Equal(a.t, http.StatusForbidden, status, string(text))
		return
	}
	require.Equal(a.t, http.StatusOK, status, string(text))
	a.devices[tag] = acknowledged{by: a.names[who], at: a.now}
	a.tried["entered"]++
	body["tag"] = " zz-" + tag[3:] + " "
	status, text = a.clients[who].call("POST", "/api/assets", body)
	require.Equal(a.t, http.StatusUnprocessableEntity, status, string(text))
	a.tried["entered twice"]++
}

// putOff puts a duty off, sometimes without a reason.
func (a *attacker) putOff(who int, id string) {
	device := get[workshop.AssetView](a.clients[who], "/api/assets/MB-0422")
	order := map[string]any{
		"id":     id,
		"kind":   "defer",
		"on":     a.now.AddDate(0, 0, 7).Format(time.DateOnly),
		"reason": []string{"the ward is closed", " "}[a.random.IntN(2)],
	}
	status, text := a.clients[who].call("POST", "/api/activities/"+device.Activities[0].ID, order)
	switch {
	case a.names[who] == "Fenn Castellan":
		require.Equal(a.t, http.StatusForbidden, status, string(text))
	case order["reason"] == " ":
		require.Equal(a.t, http.StatusUnprocessableEntity, status, string(text))
	default:
		require.Equal(a.t, http.StatusOK, status, string(text))
	}
}

// set changes a rule of the house, which only a lead may.
func (a *attacker) set(who int) {
	house := get[workshop.HouseView](a.clients[who], "/api/house")
	house.Lab.Name = "Workshop of " + a.names[who]
	status, text := a.clients[who].call("POST", "/api/house/lab", house.Lab)
	if a.names[who] == "Tamsin Orrery" {
		require.Equal(a.t, http.StatusOK, status, string(text))
		a.tried["set"]++
		return
	}
	require.Equal(a.t, http.StatusForbidden, status, string(text))
}

// settle holds the record against what was acknowledged.
func (a *attacker) settle() {
	found := map[string]acknowledged{}
	for _, id := range a.runs {
		r, err := a.ledger.Run(id)
		require.NoError(a.t, err)
		for _, n := range r.Notes {
			require.NotContains(a.t, found, n.Text, "recorded once")
			found[n.Text] = acknowledged{n.By.Name, n.At.In(time.UTC), id}
		}
	}
	require.Len(a.t, found, len(a.notes), "nothing that was refused is there")
	for text, want := range a.notes {
		require.Equal(a.t, acknowledged{want.by, want.at.In(time.UTC), want.of}, found[text], text)
	}
	lead := a.signedIn("Tamsin Orrery")
	for tag, want := range a.devices {
		history := get[[]workshop.HappenedView](lead, "/api/history/device/"+tag)
		first := history[len(history)-1]
		require.Equal(a.t, "device entered", first.What)
		require.Equal(a.t, want.by, first.By)
		require.True(a.t, want.at.Equal(first.At))
	}
	_, err := a.ledger.Verify()
	require.NoError(a.t, err)
	differences, err := a.ledger.Rebuild()
	require.NoError(a.t, err)
	require.Empty(a.t, differences)
}

// An id is one person's: what another sends under it is refused, and said to be.
func TestAnIdOfAnotherPersonIsRefused(t *testing.T) {
	h := emptyHouse(t)
	act := ledger.Act{ID: "moved-0001", Kind: "device moved", By: person.Person{ID: "a", Name: "A"}, At: h.now}
	require.NoError(t, h.ledger.Record(act, &ledger.Asset{ID: "d", Tag: "MB-1"}))
	act.By.ID = "b"
	require.ErrorIs(t, h.ledger.Record(act, &ledger.Asset{ID: "d", Tag: "MB-2"}), ledger.ErrUsed)
	a, err := h.ledger.Asset("d")
	require.NoError(t, err)
	require.Equal(t, "MB-1", a.Tag)
}
