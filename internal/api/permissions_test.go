package api_test

import (
	"bytes"
	"encoding/json"
	"net/http"
	"net/http/cookiejar"
	"slices"
	"strings"
	"testing"

	"northneedle/core/person"
	"northneedle/internal/api"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestWhoMayDoWhat sends every operation of the API as every role and as nobody, and holds status
// and words of each refusal against the one table.
func TestWhoMayDoWhat(t *testing.T) {
	h := newHouse(t)
	names := map[person.Role]string{
		person.Trainee:       "Fenn Castellan",
		person.Technician:    "Idris Vail",
		person.Lead:          "Tamsin Orrery",
		person.Manager:       "Odile Marsh",
		person.Administrator: "Bram Ostley",
	}
	require.Len(t, names, len(person.PeopleRoles))

	type call struct {
		method, path string
		may          person.Action
	}
	var calls []call
	for path, item := range api.API(&api.Server{}, chi.NewRouter()).OpenAPI().Paths {
		for method, op := range map[string]*huma.Operation{
			http.MethodGet:    item.Get,
			http.MethodPost:   item.Post,
			http.MethodDelete: item.Delete,
			http.MethodPut:    item.Put,
		} {
			if op != nil {
				calls = append(calls, call{method, path, op.Metadata["may"].(person.Action)})
			}
		}
	}
	require.Greater(t, len(calls), 70)
	slices.SortFunc(calls, func(a, b call) int { return strings.Compare(a.path+a.method, b.path+b.method) })

	send := func(client *http.Client, c call) (int, api.Problem) {
		path := strings.NewReplacer("{id}", "none", "{asset}", "none", "{day}", "2026-03-03", "{list}", "due", "{kind}",
			"none", "{notice}", "none", "{role}", "none").Replace(c.path)
		request, err := http.NewRequest(c.method, h.server.URL+path, bytes.NewReader([]byte("{}")))
		require.NoError(t, err)
		request.Header.Set("Content-Type", "application/json")
		if client == nil {
			client = http.DefaultClient
		}
		response, err := client.Do(request)
		require.NoError(t, err)
		defer response.Body.Close()
		var p api.Problem
		if response.StatusCode >= 400 {
			require.NoError(t, json.NewDecoder(response.Body).Decode(&p), "%s %s", c.method, path)
		}
		return response.StatusCode, p
	}
	for role, name := range names {
		jar, err := cookiejar.New(nil)
		require.NoError(t, err)
		client := &http.Client{Jar: jar}
		body, err := json.Marshal(map[string]string{"name": name, "password": workshop.DemoPassword})
		require.NoError(t, err)
		response, err := client.Post(h.server.URL+"/api/session", "application/json", bytes.NewReader(body))
		require.NoError(t, err)
		require.Equal(t, 200, response.StatusCode, name)
		var session workshop.SessionView
		require.NoError(t, json.NewDecoder(response.Body).Decode(&session))
		response.Body.Close()
		assert.Equal(t, person.Cans(role), session.Can, "the session says what a %s may do", role)
		for _, c := range calls {
			if c.path == "/api/session" || c.path == "/api/session/lock" || strings.HasSuffix(c.path, "/changes") ||
				strings.HasSuffix(c.path, "/live") && person.Can(role, c.may) {
				continue // signs out, locks, or streams
			}
			if c.path == "/api/house/check" && person.Can(role, c.may) && role != person.Administrator {
				continue // takes seconds, and is the same for each
			}
			status, problem := send(client, c)
			if person.Can(role, c.may) {
				assert.NotEqual(t, "not-yours", problem.Code, "a %s may %s: %s %s says %q", role, c.may, c.method,
					c.path, problem.Detail)
				assert.NotEqual(t, 401, status)
				assert.Less(t, status, 500, "%s %s as %s: %s", c.method, c.path, role, problem.Detail)
				continue
			}
			assert.Equal(t, 403, status, "%s %s as %s", c.method, c.path, role)
			assert.Equal(t, person.RefusalOf(c.may), problem.Detail, "%s %s as %s", c.method, c.path, role)
			assert.NotEmpty(t, problem.Detail)
		}
	}
	for _, c := range calls {
		if c.may == person.Public {
			continue
		}
		status, problem := send(nil, c)
		assert.Equal(t, 401, status, "%s %s as nobody", c.method, c.path)
		assert.Equal(t, "Sign in first.", problem.Detail)
	}
}

// TestEveryActionHasItsRow: what is asked for stands in the table, once, with its sentence.
func TestEveryActionHasItsRow(t *testing.T) {
	seen := map[person.Action]bool{}
	for _, p := range person.Permissions {
		assert.False(t, seen[p.Action], "%s stands twice", p.Action)
		seen[p.Action] = true
		assert.NotEmpty(t, p.Roles, p.Action)
		assert.True(t, p.Action == person.Public || strings.HasSuffix(p.Refusal, "."), "%s: %q", p.Action, p.Refusal)
	}
	assert.False(t, person.Can(person.Lead, "no such action"))
}
