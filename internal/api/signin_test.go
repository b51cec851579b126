package api_test

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/people"
	"northneedle/internal/workshop"

	"github.com/descope/virtualwebauthn"
	"github.com/golang-jwt/jwt/v5"
	"github.com/oauth2-proxy/mockoidc"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// staff is somebody of the stand-in's directory.
type staff struct {
	mockoidc.MockUser
	name string
}

type staffClaims struct {
	*mockoidc.IDTokenClaims
	Name   string   `json:"name"`
	Groups []string `json:"groups"`
}

func (s *staff) Claims(_ []string, base *mockoidc.IDTokenClaims) (jwt.Claims, error) {
	return &staffClaims{base, s.name, s.Groups}, nil
}

// byName makes a server be reached by its name, as passkeys and directories want it.
func (h *house) byName() *house {
	h.server.URL = strings.Replace(h.server.URL, "127.0.0.1", "localhost", 1)
	return h
}

// withDirectory is a server beside a stand-in of a hospital's directory.
func withDirectory(t *testing.T) (*house, *mockoidc.MockOIDC) {
	t.Helper()
	h := newHouse(t).byName()
	stand, err := mockoidc.Run()
	require.NoError(t, err)
	t.Cleanup(func() { stand.Shutdown() })
	d := person.Directory{Name: "Hallowmere staff", Issuer: stand.Issuer(), Client: stand.ClientID, Address: h.server.URL,
		Claim: "groups", Roles: []person.GroupRole{{Group: "biomed-leads", Role: person.Lead},
			{Group: "biomed", Role: person.Technician}, {Group: "it", Role: person.Administrator}}}
	require.NoError(t, d.Check())
	h.served.UseDirectory(d, stand.ClientSecret)
	return h, stand
}

// goes follows one redirect after the other from an address, and returns where it ends; seen looks at every step and may change
// it, or stop there.
func (c *client) goes(path string, seen func(*url.URL) bool) *url.URL {
	c.t.Helper()
	at, err := url.Parse(c.server.URL)
	require.NoError(c.t, err)
	at, err = at.Parse(path)
	require.NoError(c.t, err)
	once := &http.Client{Jar: c.http.Jar, CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}
	for range 9 {
		if seen != nil && seen(at) {
			return at
		}
		answer, err := once.Get(at.String())
		require.NoError(c.t, err)
		io.Copy(io.Discard, answer.Body)
		answer.Body.Close()
		next, err := answer.Location()
		if err != nil {
			return at
		}
		at = next
	}
	require.Fail(c.t, "it goes round in circles", at.String())
	return nil
}

// from signs in as somebody of the directory; the answer is why not, or empty.
func (c *client) from(stand *mockoidc.MockOIDC, who *staff) string {
	stand.QueueUser(who)
	return c.goes("/sign-in/directory", nil).Query().Get("directory")
}

// joins joins the account of whoever is signed in to somebody of the directory.
func (c *client) joins(stand *mockoidc.MockOIDC, who *staff) string {
	stand.QueueUser(who)
	ask := posted[struct{ Address string }](c, "/api/session/directory", order{"password": workshop.DemoPassword})
	return c.goes(ask.Address, nil).Query().Get("directory")
}

func of(subject, name string, groups ...string) *staff {
	return &staff{mockoidc.MockUser{Subject: subject, Groups: groups}, name}
}

// People of the directory sign in without a password of this place: their groups say what they are, at every sign-in; they set
// what they sign with before anything else; and nobody becomes somebody else by it.
func TestPeopleOfTheDirectory(t *testing.T) {
	h, stand := withDirectory(t)
	ada := h.client()
	assert.Equal(t, "Hallowmere staff", get[workshop.SessionView](ada, "/api/session").Directory)
	require.Empty(t, ada.from(stand, of("s-1", "Ada Quillan", "porters", "biomed")))
	session := get[workshop.SessionView](ada, "/api/session")
	require.NotNil(t, session.Person)
	assert.Equal(t, workshop.PersonView{ID: session.Person.ID, Name: "Ada Quillan", Role: person.Technician}, *session.Person)
	assert.Equal(t, people.OwnSecret, session.Owes)
	status, body := ada.call("GET", "/api/today", nil)
	assert.Equal(t, 403, status)
	assert.Contains(t, string(body), "PIN or passkey")
	status, body = ada.call("POST", "/api/session/pin", order{"password": "", "pin": "835102"})
	require.Equal(t, 204, status, string(body))
	status, _ = ada.call("GET", "/api/today", nil)
	assert.Equal(t, 200, status)
	h.now = h.now.Add(11 * time.Minute)
	assert.Contains(t, ada.problem("/api/session/pin", order{"password": "", "pin": "938471"}, 422).Detail,
		"directory once more")
	assert.Equal(t, 422, statusOf(ada.call("POST", "/api/session/pin", order{"password": "835102", "pin": "938471"})),
		"a PIN does not change a PIN")
	for _, guess := range []string{"", "anything at all", workshop.DemoPassword} {
		assert.Equal(t, 401, statusOf(h.client().call("POST", "/api/session", order{"name": "Ada Quillan", "password": guess})))
	}
	keeper := h.signedIn("Bram Ostley")
	assert.Contains(t, keeper.problem("/api/house/people/"+session.Person.ID, order{"role": person.Technician, "active": true,
		"password": "given over a desk"}, 422).Detail, "signs in by the directory")

	// The role is taken from the groups at every sign-in. Whoever is in no group with a role is refused.
	require.Empty(t, h.client().from(stand, of("s-1", "Ada Quillan", "biomed", "biomed-leads")))
	assert.Equal(t, person.Lead, get[workshop.SessionView](ada, "/api/session").Person.Role, "also for what is open already")
	assert.Equal(t, "no-role", h.client().from(stand, of("s-1", "Ada Quillan", "porters")))
	assert.Equal(t, "name-taken", h.client().from(stand, of("s-2", "TAMSIN  Orrery", "biomed-leads")))
	tamsin := h.signedIn("Tamsin Orrery")
	assert.Equal(t, "taken", tamsin.joins(stand, of("s-1", "Ada Quillan", "biomed-leads")))
	assert.Equal(t, "Tamsin Orrery", get[workshop.SessionView](tamsin, "/api/session").Person.Name)
	for _, wrong := range []string{"", "835102", "another password"} {
		tamsin.problem("/api/session/directory", order{"password": wrong}, 422)
	}
	require.Empty(t, tamsin.joins(stand, of("s-2", "Tamsin Orrery", "biomed-leads")))
	assert.Equal(t, "directory", get[workshop.SessionView](tamsin, "/api/session").By)
	assert.Equal(t, 401, statusOf(h.client().call("POST", "/api/session", order{"name": "Tamsin Orrery",
		"password": workshop.DemoPassword})), "her password counts no more")
	require.Empty(t, h.client().from(stand, of("s-1", "Ada Quillan", "biomed")))
	assert.Equal(t, "last", h.client().from(stand, of("s-2", "Tamsin Orrery", "biomed")), "nobody would lead the lab")

	// Two windows of somebody new at once register one person.
	windows := []*client{h.client(), h.client()}
	for range windows {
		stand.QueueUser(of("s-9", "Perrin Sallow", "biomed"))
	}
	var group sync.WaitGroup
	for _, w := range windows {
		group.Go(func() { w.goes("/sign-in/directory", nil) })
	}
	group.Wait()
	registered := slices.DeleteFunc(get[workshop.HouseView](keeper, "/api/house").People,
		func(p workshop.Colleague) bool { return p.Name != "Perrin Sallow" })
	assert.Len(t, registered, 1)

	posted[workshop.HouseView](keeper, "/api/house/people/"+session.Person.ID, order{"role": person.Technician,
		"reason": "left", "active": false})
	assert.Equal(t, "closed", h.client().from(stand, of("s-1", "Ada Quillan", "biomed")))
}

func statusOf(status int, _ []byte) int { return status }

// What comes back from the directory counts once, in the browser that asked, for what was asked.
func TestAnAnswerOfTheDirectoryIsItsAskersAlone(t *testing.T) {
	h, stand := withDirectory(t)
	// answer is where the directory sends a browser back to, before it goes there.
	answer := func(c *client, change func(*url.URL)) *url.URL {
		stand.QueueUser(of("s-1", "Ada Quillan", "biomed"))
		return c.goes("/sign-in/directory", func(at *url.URL) bool {
			if change != nil && strings.HasPrefix(at.String(), stand.AuthorizationEndpoint()) {
				change(at)
			}
			return at.Path == person.Return
		})
	}
	went := func(c *client, at *url.URL) string { return c.goes(at.RequestURI(), nil).Query().Get("directory") }
	ada, eve := h.client(), h.client()
	first := answer(ada, nil)
	assert.Equal(t, "expired", went(eve, first), "in another browser")
	answer(ada, nil)
	assert.Equal(t, "expired", went(ada, first), "another state than was asked last")
	second := answer(ada, nil)
	require.Empty(t, went(ada, second))
	assert.Equal(t, "expired", went(ada, second), "a second time")
	assert.Equal(t, "expired", went(h.client(), &url.URL{Path: person.Return}))

	set := func(field, value string) func(*url.URL) {
		return func(at *url.URL) {
			q := at.Query()
			q.Set(field, value)
			at.RawQuery = q.Encode()
		}
	}
	assert.Equal(t, "not-said", went(eve, answer(eve, set("nonce", "of another sign-in"))))
	assert.Equal(t, "not-said", went(eve, answer(eve, set("code_challenge", "of another sign-in"))))
	stolen := answer(h.client(), nil)
	own := answer(eve, nil)
	code := own.Query()
	code.Set("code", stolen.Query().Get("code"))
	own.RawQuery = code.Encode()
	assert.Equal(t, "not-said", went(eve, own), "the code of somebody else")
	assert.Nil(t, get[workshop.SessionView](eve, "/api/session").Person)

	request, err := http.NewRequest("GET", h.server.URL+"/sign-in/directory", nil)
	require.NoError(t, err)
	request.Header.Set("Sec-Fetch-Site", "cross-site")
	sent, err := (&http.Client{CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}).Do(request)
	require.NoError(t, err)
	sent.Body.Close()
	assert.Equal(t, "/?directory=expired", sent.Header.Get("Location"), "another site sends nobody there")

	stand.Shutdown()
	other, _ := withDirectory(t)
	other.served.UseDirectory(person.Directory{Name: "gone", Issuer: stand.Issuer(), Address: other.server.URL}, "")
	assert.Equal(t, "not-said", other.client().goes("/sign-in/directory", nil).Query().Get("directory"))
	other.signedIn("Idris Vail") // passwords of this place go on
	assert.Equal(t, "none-is-set", newHouse(t).client().goes("/sign-in/directory", nil).Query().Get("directory"))
}

// tablet is one with a passkey on it.
type tablet struct {
	virtualwebauthn.Authenticator
	key   virtualwebauthn.Credential
	party virtualwebauthn.RelyingParty
}

func (h *house) newTablet() *tablet {
	at, err := url.Parse(h.server.URL)
	require.NoError(h.t, err)
	return &tablet{Authenticator: virtualwebauthn.NewAuthenticator(),
		key:   virtualwebauthn.NewCredential(virtualwebauthn.KeyTypeEC2),
		party: virtualwebauthn.RelyingParty{ID: "localhost", Name: "North Needle", Origin: "http://" + at.Host}}
}

type offered struct {
	Options json.RawMessage `json:"options"`
}

// registers makes the passkey of whoever is signed in.
func (d *tablet) registers(c *client, password string) (status int, body []byte) {
	ask := posted[offered](c, "/api/session/passkeys/offer", order{"password": password})
	options, err := virtualwebauthn.ParseAttestationOptions(string(ask.Options))
	require.NoError(c.t, err)
	d.Options.UserHandle = []byte(options.UserID)
	answer := virtualwebauthn.CreateAttestationResponse(d.party, d.Authenticator, d.key, *options)
	status, body = c.call("POST", "/api/session/passkeys", order{"name": "bench tablet", "credential": json.RawMessage(answer)})
	d.AddCredential(d.key)
	return status, body
}

// shows is the passkey's answer to what it is asked.
func (d *tablet) shows(c *client) json.RawMessage {
	ask := posted[offered](c, "/api/session/passkey/ask", order{})
	options, err := virtualwebauthn.ParseAssertionOptions(string(ask.Options))
	require.NoError(c.t, err)
	d.key.Counter++
	return json.RawMessage(virtualwebauthn.CreateAssertionResponse(d.party, d.Authenticator, d.key, *options))
}

// A passkey stands for its owner's password: at the sign-in, over a locked page and for a signature; once each, on the
// device it was asked on, and not after it was removed.
func TestPasskeys(t *testing.T) {
	h := newHouse(t).byName()
	idris, pad := h.signedIn("Idris Vail"), h.newTablet()
	for _, wrong := range []string{"", "another", "835102"} {
		idris.problem("/api/session/passkeys/offer", order{"password": wrong}, 422)
	}
	status, body := pad.registers(idris, workshop.DemoPassword)
	require.Equal(t, 200, status, string(body))
	assert.True(t, get[workshop.SessionView](idris, "/api/session").Passkey)
	signIn := "/api/session/passkey/sign-in"

	on := h.client()
	answer := pad.shows(on)
	assert.Equal(t, "Idris Vail", posted[workshop.SessionView](on, signIn, order{"credential": answer}).Person.Name)
	assert.Equal(t, 401, statusOf(h.client().call("POST", signIn, order{"credential": answer})), "an answer is for who asked")
	kept := *pad
	early := h.client()
	before := kept.shows(early)
	require.Equal(t, 204, statusOf(on.call("POST", "/api/session/lock", order{})))
	require.Equal(t, 401, statusOf(on.call("GET", "/api/today", nil)))
	pad.key.Counter = kept.key.Counter
	posted[workshop.SessionView](on, signIn, order{"credential": pad.shows(on)})
	assert.Equal(t, 200, statusOf(on.call("GET", "/api/today", nil)), "over a locked page")
	assert.Equal(t, 401, statusOf(early.call("POST", signIn, order{"credential": before})), "a copy of a passkey counts behind")

	// A signature: what the passkey gave signs once, in the session that showed it.
	confirm := func(c *client) string {
		return posted[struct{ Secret string }](c, "/api/session/passkeys/confirm", order{"credential": pad.shows(c)}).Secret
	}
	pin := func(c *client, secret string) int {
		return statusOf(c.call("POST", "/api/session/pin", order{"password": secret, "pin": "835102"}))
	}
	secret := confirm(on)
	assert.Equal(t, 422, pin(idris, secret), "shown in another session")
	assert.Equal(t, 204, pin(on, secret))
	assert.Equal(t, 422, pin(on, secret), "twice")
	late := confirm(on)
	h.now = h.now.Add(3 * time.Minute)
	assert.Equal(t, 422, pin(on, late))
	noor := h.signedIn("Noor Bexley")
	assert.Equal(t, 422, statusOf(noor.call("POST", "/api/session/passkey/ask", order{})), "she has none")

	w := idris.signable(firstOf(t, idris, "capnograph", 2))
	sign := order{"id": "signed-by-passkey", "expect": w.v.Seq, "kind": "sign", "statement": "Done.",
		"reviewer": "tamsin", "secret": confirm(idris)}
	for range 2 { // the second time as where the answer was lost: the passkey signs once, and it did
		v := posted[runview.View](idris, "/api/runs/"+w.v.ID+"/commands", sign)
		assert.Equal(t, run.InReview, v.Status)
		assert.Equal(t, w.v.Seq+1, v.Seq)
	}

	foreign := h.newTablet()
	foreign.party.Origin = "http://elsewhere.example"
	status, _ = foreign.registers(idris, workshop.DemoPassword)
	assert.Equal(t, 422, status, "made on another page")
	unseen := h.newTablet()
	unseen.Options.UserNotVerified = true
	status, _ = unseen.registers(idris, workshop.DemoPassword)
	assert.Equal(t, 422, status, "without asking whose hand it is")
	for _, nonsense := range []any{order{}, order{"id": 7}, order{"rawId": "AA", "response": []int{1}}} {
		assert.Equal(t, 401, statusOf(h.client().call("POST", signIn, order{"credential": nonsense})))
	}

	// A reset of the password ends all passkeys of its owner, who may have lost the tablet.
	keeper := h.signedIn("Bram Ostley")
	posted[workshop.HouseView](keeper, "/api/house/people/idris", order{"role": person.Technician, "active": true,
		"password": "given over a desk"})
	gone := h.client()
	assert.Equal(t, 401, statusOf(gone.call("POST", signIn, order{"credential": pad.shows(gone)})))
	told := get[workshop.SessionView](h.client().as("Idris Vail", "given over a desk"), "/api/session")
	assert.Equal(t, people.OwnPassword, told.Owes)
	assert.Equal(t, "Bram Ostley", told.GivenBy)
	assert.True(t, told.GivenAt.Equal(h.now))

	mine := get[[]workshop.PasskeyView](noor, "/api/session/passkeys")
	assert.Empty(t, mine)
	pad = h.newTablet()
	pad.registers(noor, workshop.DemoPassword)
	mine = get[[]workshop.PasskeyView](noor, "/api/session/passkeys")
	require.Len(t, mine, 1)
	assert.Equal(t, 404, statusOf(keeper.call("DELETE", "/api/session/passkeys/"+mine[0].ID, nil)))
	assert.Equal(t, 200, statusOf(noor.call("DELETE", "/api/session/passkeys/"+mine[0].ID, nil)))
	last := h.client()
	assert.Equal(t, 401, statusOf(last.call("POST", signIn, order{"credential": pad.shows(last)})))
}

// as signs in by a password.
func (c *client) as(name, password string) *client {
	posted[workshop.SessionView](c, "/api/session", order{"name": name, "password": password})
	return c
}
