package api_test

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"slices"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/internal/people"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whoever registers or resets somebody knows their password: it opens nothing but a change of it. What they then set is theirs
// alone, and every other session of theirs has ended.
func TestAPasswordIsItsOwnersAlone(t *testing.T) {
	h := newHouse(t)
	keeper := h.signedIn("Bram Ostley")
	posted[workshop.HouseView](keeper, "/api/house/people", order{"name": "Wren Halloway", "role": person.Technician,
		"password": "given over a desk", "active": true})
	problem := keeper.problem("/api/house/people", order{"name": "WREN\u200b  Halloway", "role": person.Lead,
		"password": "given over a desk", "active": true}, 422)
	assert.Equal(t, "name", problem.Field, "a name that looks the same is the same")

	alike := posted[workshop.HouseView](keeper, "/api/house/people", order{"name": "Wren Ηalloway", "role": person.Trainee,
		"password": "given over a desk", "active": true}) // with a Greek capital eta
	assert.Equal(t, 2, len(slices.DeleteFunc(alike.People, func(p workshop.Colleague) bool { return p.Like == "" })),
		"both are marked")

	wren := h.client()
	session := posted[workshop.SessionView](wren, "/api/session", order{"name": "wren halloway",
		"password": "given over a desk"})
	assert.True(t, session.Owes == people.OwnPassword)
	status, body := wren.call("GET", "/api/today", nil)
	assert.Equal(t, 403, status)
	assert.Contains(t, string(body), "Set one that only you know")
	for path, o := range map[string]order{"/api/session/passkeys/offer": {}, "/api/session/directory": {},
		"/api/session/pin": {"pin": "835102"}} {
		o["password"] = "given over a desk"
		assert.Contains(t, wren.problem(path, o, 422).Detail, "password of your own first",
			"whoever gave it could come back by %s", path)
	}
	for new, words := range map[string]string{"short": "at least 12", "given over a desk": "is the old one",
		"Wren Halloway": "guessed soon"} {
		assert.Contains(t, wren.problem("/api/session/password", order{"old": "given over a desk", "new": new},
			422).Detail, words)
	}
	assert.Equal(t, "old", wren.problem("/api/session/password", order{"old": "another",
		"new": "moss lantern harbour"}, 422).Field)
	elsewhere := h.client()
	third := h.client()
	posted[workshop.SessionView](third, "/api/session", order{"name": "Wren Halloway", "password": "given over a desk"})
	mine := get[[]workshop.OpenSession](wren, "/api/session/mine")
	require.Len(t, mine, 2)
	for _, o := range mine {
		assert.Equal(t, "127.0.0.1", o.Address)
		assert.NotNil(t, o.Begun)
		if !o.Here {
			status, _ = keeper.call("DELETE", "/api/session/mine/"+o.ID, nil)
			assert.Equal(t, 404, status, "it is nobody else's to end")
			status, _ = wren.call("DELETE", "/api/session/mine/"+o.ID, nil)
			assert.Equal(t, 204, status)
		}
	}
	status, _ = third.call("GET", "/api/session/mine", nil)
	assert.Equal(t, 401, status)
	assert.Len(t, get[[]workshop.OpenSession](wren, "/api/session/mine"), 1)
	posted[workshop.SessionView](elsewhere, "/api/session", order{"name": "Wren Halloway", "password": "given over a desk"})
	status, body = wren.call("POST", "/api/session/password", order{"old": "given over a desk", "new": "moss lantern harbour"})
	require.Equal(t, 204, status, string(body))
	status, _ = wren.call("GET", "/api/today", nil)
	assert.Equal(t, 200, status, "the session in which it was changed goes on")
	status, _ = elsewhere.call("GET", "/api/today", nil)
	assert.Equal(t, 401, status, "every other one has ended")
	status, _ = h.client().call("POST", "/api/session", order{"name": "Wren Halloway", "password": "given over a desk"})
	assert.Equal(t, 401, status)

	// A reset ends what is open, streams too.
	id := session.Person.ID
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, "GET", h.server.URL+"/api/changes", nil)
	require.NoError(t, err)
	answer, err := wren.http.Do(request)
	require.NoError(t, err)
	defer answer.Body.Close()
	posted[workshop.HouseView](keeper, "/api/house/people/"+id, order{"role": person.Technician,
		"password": "given a second time", "active": true})
	for lines := bufio.NewScanner(answer.Body); lines.Scan(); {
	}
	assert.NoError(t, ctx.Err(), "the stream was ended by the server")
	status, _ = wren.call("GET", "/api/today", nil)
	assert.Equal(t, 401, status)
	assert.True(t, posted[workshop.SessionView](wren, "/api/session", order{"name": "Wren Halloway",
		"password": "given a second time"}).Owes == people.OwnPassword)
	second := posted[workshop.HouseView](keeper, "/api/house/people/"+id, order{"role": person.Lead, "active": true,
		"reason": "leads from today on"})
	assert.NotEmpty(t, second.People)
	posted[workshop.SessionView](wren, "/api/session", order{"name": "Wren Halloway", "password": "given a second time"})
	status, _ = wren.call("POST", "/api/session/password", order{"old": "given a second time", "new": "tin kettle archipelago"})
	require.Equal(t, 204, status)
	for _, other := range []*client{wren, h.signedIn("Tamsin Orrery"), h.signedIn("Odile Marsh")} { // leads, and a manager
		assert.Equal(t, 403, code(other.call("POST", "/api/house/people/idris", order{"role": person.Lead, "active": true})))
	}
	assert.Equal(t, 422, code(keeper.call("POST", "/api/house/people/bram", order{"role": person.Lead,
		"active": true})), "nor oneself")
	posted[workshop.HouseView](keeper, "/api/house/people/tamsin", order{"role": person.Lead, "active": false,
		"reason": "left"})
	for _, change := range []order{{"role": person.Technician, "active": true}, {"role": person.Lead, "active": false}} {
		assert.Contains(t, keeper.problem("/api/house/people/"+id, change, 422).Detail, "is the last lead")
	}
	told := ""
	for _, happened := range get[[]workshop.HappenedView](keeper, "/api/history/person/"+id) {
		told += happened.What + " by " + happened.By + "; "
	}
	assert.Contains(t, told,
		"person changed by Bram Ostley; own password changed by Wren Halloway; person added by Bram Ostley")
}

// A page that is locked lets nobody on but its owner, who signs in over it; what listens through it ends; the others go on.
func TestALockedPageIsNobodys(t *testing.T) {
	h := newHouse(t)
	idris, other := h.signedIn("Idris Vail"), h.signedIn("Idris Vail")
	assert.Equal(t, 15, get[workshop.SessionView](idris, "/api/session").Idle)
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, "GET", h.server.URL+"/api/changes", nil)
	require.NoError(t, err)
	answer, err := idris.http.Do(request)
	require.NoError(t, err)
	defer answer.Body.Close()
	require.Equal(t, 204, code(idris.call("POST", "/api/session/lock", order{})))
	for lines := bufio.NewScanner(answer.Body); lines.Scan(); {
	}
	assert.NoError(t, ctx.Err(), "the stream was ended by the server")
	assert.Equal(t, 401, code(idris.call("GET", "/api/today", nil)))
	assert.Equal(t, 401, code(idris.call("POST", "/api/session/password", order{"old": workshop.DemoPassword,
		"new": "moss lantern harbour"})))
	locked := get[workshop.SessionView](idris, "/api/session")
	assert.Nil(t, locked.Person)
	assert.Equal(t, "Idris Vail", locked.Locked.Name)
	assert.Equal(t, 200, code(other.call("GET", "/api/today", nil)), "where else they are signed in")
	assert.Equal(t, 401, code(idris.call("POST", "/api/session", order{"name": "Idris Vail", "password": "another password"})))
	posted[workshop.SessionView](idris, "/api/session", order{"name": "Idris Vail", "password": workshop.DemoPassword})
	assert.Equal(t, 200, code(idris.call("GET", "/api/today", nil)))
}

// What was tried at the door and who was let do what is the administrator's to read, and no secret stands in it.
func TestTheSecurityLog(t *testing.T) {
	h := newHouse(t)
	bram, lead := h.signedIn("Bram Ostley"), h.signedIn("Tamsin Orrery")
	assert.Equal(t, 401, code(h.client().call("POST", "/api/session", order{"name": "Idris Vail",
		"password": "my-other-password"})))
	posted[workshop.HouseView](bram, "/api/house/people/noor", order{"role": person.Lead, "active": true, "reason": "leads now"})
	lead.call("GET", "/api/lists/equipment", nil)
	lead.call("POST", "/api/house/backup", order{"passphrase": "moss lantern harbour"})
	made := posted[workshop.NewToken](lead, "/api/tokens", order{"kind": "program", "purpose": "ward board"})
	require.NoError(t, h.served.Close()) // what was counted is written
	assert.Equal(t, 403, code(lead.call("GET", "/api/history/security/all", nil)))
	events := get[[]workshop.HappenedView](bram, "/api/history/security/all")
	told := fmt.Sprintf("%+v", events)
	for _, said := range []string{"sign-ins refused", "Idris Vail: 1", "person changed", "technician", "lead",
		"handed out", "the list of equipment", "copy taken", "program's token made"} {
		assert.Contains(t, told, said)
	}
	for _, secret := range []string{"my-other-password", "moss lantern harbour", made.Secret, "argon2"} {
		assert.NotContains(t, told, secret)
	}
}

func code(status int, _ []byte) int { return status }
