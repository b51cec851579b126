package api_test

import (
	"bufio"
	"context"
	"net/http"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whoever registers or resets somebody knows their password: it opens nothing but a change of it. What they then set is theirs
// alone, and every other session of theirs has ended.
func TestAPasswordIsItsOwnersAlone(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	posted[workshop.HouseView](lead, "/api/house/people", order{"name": "Wren Halloway", "role": person.Technician,
		"password": "given over a desk", "active": true})
	problem := lead.problem("/api/house/people", order{"name": "WREN\u200b  Halloway", "role": person.Lead, "password": "given over a desk", "active": true}, 422)
	assert.Equal(t, "name", problem.Field, "a name that looks the same is the same")

	wren := h.client()
	session := posted[workshop.SessionView](wren, "/api/session", order{"name": "wren halloway", "password": "given over a desk"})
	assert.True(t, session.OneTime)
	status, body := wren.call("GET", "/api/today", nil)
	assert.Equal(t, 403, status)
	assert.Contains(t, string(body), "Set one that only you know")
	for new, words := range map[string]string{"short": "at least 12", "given over a desk": "is the old one", "Wren Halloway": "guessed soon"} {
		assert.Contains(t, wren.problem("/api/session/password", order{"old": "given over a desk", "new": new}, 422).Detail, words)
	}
	assert.Equal(t, "old", wren.problem("/api/session/password", order{"old": "another", "new": "moss lantern harbour"}, 422).Field)
	elsewhere := h.client()
	third := h.client()
	posted[workshop.SessionView](third, "/api/session", order{"name": "Wren Halloway", "password": "given over a desk"})
	mine := get[[]workshop.OpenSession](wren, "/api/session/mine")
	require.Len(t, mine, 2)
	for _, o := range mine {
		assert.Equal(t, "127.0.0.1", o.Address)
		assert.NotNil(t, o.Begun)
		if !o.Here {
			status, _ = lead.call("DELETE", "/api/session/mine/"+o.ID, nil)
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
	posted[workshop.HouseView](lead, "/api/house/people/"+id, order{"role": person.Technician, "password": "given a second time", "active": true})
	for lines := bufio.NewScanner(answer.Body); lines.Scan(); {
	}
	assert.NoError(t, ctx.Err(), "the stream was ended by the server")
	status, _ = wren.call("GET", "/api/today", nil)
	assert.Equal(t, 401, status)
	assert.True(t, posted[workshop.SessionView](wren, "/api/session", order{"name": "Wren Halloway", "password": "given a second time"}).OneTime)
	second := posted[workshop.HouseView](lead, "/api/house/people/"+id, order{"role": person.Lead, "active": true})
	assert.NotEmpty(t, second.People)
	posted[workshop.SessionView](wren, "/api/session", order{"name": "Wren Halloway", "password": "given a second time"})
	status, _ = wren.call("POST", "/api/session/password", order{"old": "given a second time", "new": "tin kettle archipelago"})
	require.Equal(t, 204, status)
	tamsin := get[workshop.SessionView](lead, "/api/session").Person.ID
	posted[workshop.HouseView](wren, "/api/house/people/"+tamsin, order{"role": person.Lead, "active": false})
	manager := h.signedIn("Odile Marsh")
	for _, change := range []order{{"role": person.Technician, "active": true}, {"role": person.Lead, "active": false}} {
		assert.Contains(t, manager.problem("/api/house/people/"+id, change, 422).Detail, "is the last lead")
	}
	told := ""
	for _, happened := range get[[]workshop.HappenedView](manager, "/api/history/person/"+id) {
		told += happened.What + " by " + happened.By + "; "
	}
	assert.Contains(t, told, "person changed by Tamsin Orrery; own password changed by Wren Halloway; person added by Tamsin Orrery")
}
