package api_test

import (
	"testing"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// signable carries a capnograph's run to its signature.
func (c *client) signable(tag string) *worker {
	w := &worker{client: c, v: c.toMeasuring(c.open(tag)), error: -0.14} // it fails, and so is countersigned
	w.toSignature()
	return w
}

// A signature asks who is there, by password or PIN; nobody else's is taken, and five wrong PINs end the session.
func TestASignatureAsksWhoIsThere(t *testing.T) {
	h := newHouse(t)
	idris := h.signedIn("Idris Vail")
	w := idris.signable(firstOf(t, idris, "capnograph", 2))
	sign := func(secret string) order {
		return order{"kind": "sign", "statement": "Done.", "reviewer": "tamsin", "secret": secret}
	}
	idris.refused(w.v, sign(""), 422, "unconfirmed", "once more")
	idris.refused(w.v, sign("another long password"), 422, "unconfirmed", "Nothing was recorded")
	idris.refused(w.v, sign("271828"), 422, "unconfirmed", "Nothing was recorded")

	for pin, words := range map[string]string{"12345": "6 to 11 digits", "123456": "guessed soon",
		"777777": "guessed soon", "20262026": "guessed soon"} {
		assert.Contains(t, idris.problem("/api/session/pin", order{"password": workshop.DemoPassword, "pin": pin},
			422).Detail, words)
	}
	assert.Equal(t, "password", idris.problem("/api/session/pin", order{"password": "not mine at all",
		"pin": "271828"}, 422).Field)
	status, _ := idris.call("POST", "/api/session/pin", order{"password": workshop.DemoPassword, "pin": "271828"})
	require.Equal(t, 204, status)
	assert.True(t, get[workshop.SessionView](idris, "/api/session").PIN)
	for range 4 {
		idris.refused(w.v, sign("314159"), 422, "unconfirmed", "Nothing was recorded")
	}
	idris.refused(w.v, sign("314159"), 401, "pin-spent", "sign in again")
	status, _ = idris.call("GET", "/api/today", nil)
	assert.Equal(t, 401, status, "the session is over")
	again := h.signedIn("Idris Vail")
	v := again.send(w.v, sign("271828"))
	require.Equal(t, run.InReview, v.Status)
	assert.Equal(t, run.Performed, v.Signature.Signing.Meaning)
	assert.Equal(t, "PIN", v.Signature.Signing.Shown)
	assert.Len(t, v.Signature.Signing.Content, 64, "bound to what was recorded before")
}

// Two people are two: nobody countersigns what they had a hand in, nor from an account made for it; whoever does it in
// another's place is said to.
func TestFourEyesAreTwoPeople(t *testing.T) {
	h := newHouse(t)
	lead, idris, fenn := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail"), h.signedIn("Fenn Castellan")
	bram := h.signedIn("Bram Ostley")
	register := func(name string, role person.Role) (*client, string) {
		posted[workshop.HouseView](bram, "/api/house/people", order{"name": name, "role": role,
			"password": "given over a desk", "active": true})
		c := h.client()
		s := posted[workshop.SessionView](c, "/api/session", order{"name": name, "password": "given over a desk"})
		status, _ := c.call("POST", "/api/session/password", order{"old": "given over a desk", "new": "moss lantern harbour"})
		require.Equal(t, 204, status)
		return c, s.Person.ID
	}
	wren, wrenID := register("Wren Halloway", person.Lead)
	w := idris.signable(firstOf(t, idris, "capnograph", 2))
	late, lateID := register("Perrin Sallow", person.Lead)
	sign := order{"kind": "sign", "statement": "Done.", "reviewer": lateID}
	idris.refused(w.v, sign, 403, "account-too-new", "registered after this run began")
	v := lead.send(w.v, order{"kind": "open-loose-end", "what": "Cover off"})
	v = lead.send(v, order{"kind": "close-loose-end", "what": "Cover off"})
	idris.refused(v, order{"kind": "sign", "statement": "Done.", "reviewer": "tamsin"}, 403, "own-run", "has no part in it")
	names := []string{}
	for _, p := range get[[]workshop.PersonView](idris, "/api/runs/"+v.ID+"/reviewers") {
		names = append(names, p.Name)
	}
	assert.Equal(t, []string{"Wren Halloway"}, names, "who can countersign is who is offered")
	v = idris.send(v, order{"kind": "sign", "statement": "Done.", "reviewer": wrenID})
	lead.refused(v, order{"kind": "review"}, 403, "own-run", "has no part in it")
	late.refused(v, order{"kind": "review", "secret": "moss lantern harbour"}, 403, "account-too-new", "registered after")
	idris.refused(v, order{"kind": "return", "reason": "mine"}, 403, "own-run", "has no part in it")
	wren.refused(v, order{"kind": "review"}, 422, "unconfirmed", "not the password")
	v = wren.send(v, order{"kind": "review", "note": "seen", "secret": "moss lantern harbour"})
	assert.Equal(t, run.Signed, v.Status)
	assert.Empty(t, v.Signature.InPlaceOf)

	// Whoever was named is away: another lead does it, and the record says in whose place.
	w = idris.signable(firstOf(t, idris, "capnograph", 2))
	v = idris.send(w.v, order{"kind": "sign", "statement": "Done.", "reviewer": wrenID})
	v = lead.send(v, order{"kind": "review", "note": "seen"})
	assert.Equal(t, "Wren Halloway", v.Signature.InPlaceOf)

	// Both look at it at once: one signs, the other is shown that it was done. An answer that was lost is asked for again.
	w = idris.signable(firstOf(t, idris, "capnograph", 2))
	v = idris.send(w.v, order{"kind": "sign", "statement": "Done.", "reviewer": wrenID})
	reviews := map[*client]order{
		wren: {"id": "review-by-wren", "expect": v.Seq, "kind": "review", "note": "seen", "secret": "moss lantern harbour"},
		lead: {"id": "review-by-tamsin", "expect": v.Seq, "kind": "review", "note": "seen", "secret": workshop.DemoPassword}}
	answers := make(chan int, 2)
	for c, o := range reviews {
		go func() { answers <- statusOf(c.call("POST", "/api/runs/"+v.ID+"/commands", o)) }()
	}
	assert.ElementsMatch(t, []int{200, 409}, []int{<-answers, <-answers})
	signed := get[runview.View](idris, "/api/runs/"+v.ID)
	assert.Equal(t, v.Seq+1, signed.Seq)
	for c, o := range reviews {
		status, _ := c.call("POST", "/api/runs/"+v.ID+"/commands", o)
		assert.Contains(t, []int{200, 409}, status)
	}
	assert.Equal(t, signed.Seq, get[runview.View](idris, "/api/runs/"+v.ID).Seq, "nothing was signed twice")

	// A trainee's hand in a run: a good result is countersigned too, and the trainee gives nobody else's run up.
	tag := firstOf(t, idris, "capnograph", 2)
	v = idris.open(tag)
	fenn.refused(v, order{"kind": "answer", "step": "cautions", "answer": "fine"}, 403, "not-alone", "Name who you work under")
	fenn.refused(v, order{"kind": "work-under", "under": "odile"}, 422, "supervisor-alone", "not on record")
	fenn.refused(v, order{"kind": "work-under", "under": "fenn"}, 422, "supervisor-self", "another person")
	v = fenn.send(v, order{"kind": "work-under", "under": "tamsin"})
	assert.True(t, v.NeedsReview)
	assert.Equal(t, "Tamsin Orrery", v.Under.Name)
	fenn.refused(v, order{"kind": "abandon", "reason": "tired"}, 403, "not-yours", "Others recorded something")
	fenn.send(v, order{"kind": "note", "note": "a scratch on the casing"})
	w = &worker{client: idris, v: idris.toMeasuring(get[runview.View](idris, "/api/runs/"+v.ID))}
	w.toSignature()
	idris.refused(w.v, order{"kind": "sign", "statement": "Done.", "reviewer": "noor"}, 403, "lead-only", "Only a lead")
	v = idris.send(w.v, order{"kind": "sign", "statement": "Done."})
	assert.Equal(t, run.Conforms, v.Result)
	assert.Equal(t, run.InReview, v.Status, "whom the trainee works under countersigns, unasked")
}

// Who may do ventilators alone is on record: nobody else opens one, signs one or countersigns one but under somebody who may.
func TestWhoMayDoWhatAlone(t *testing.T) {
	h := newHouse(t)
	lead, noor := h.signedIn("Tamsin Orrery"), h.signedIn("Noor Bexley")
	tag := firstOf(t, noor, "ventilator", 4)
	problem := noor.problem("/api/runs", order{"id": noor.id(), "asset": tag}, 403)
	assert.Equal(t, "under", problem.Field)
	names := []string{}
	for _, p := range get[[]workshop.PersonView](noor, "/api/supervisors?family=ventilator") {
		names = append(names, p.Name)
	}
	assert.Equal(t, []string{"Idris Vail", "Tamsin Orrery"}, names)
	noor.problem("/api/runs", order{"id": noor.id(), "asset": tag, "under": "fenn"}, 422)
	v := posted[runview.View](noor, "/api/runs", order{"id": noor.id(), "asset": tag, "under": "idris"})
	assert.Equal(t, "Idris Vail", v.Under.Name)
	assert.True(t, v.NeedsReview)
	noor.send(v, order{"kind": "answer", "step": "cautions", "answer": "fine"})

	for field, o := range map[string]order{
		"person": {"person": "fenn", "family": "ventilator", "ground": "statement"},
		"family": {"person": "noor", "family": "kettle", "ground": "statement"},
		"note":   {"person": "noor", "family": "ventilator", "ground": "examination"},
		"until":  {"person": "noor", "family": "ventilator", "ground": "statement", "until": "2001-01-01"},
	} {
		assert.Equal(t, field, lead.problem("/api/house/competences", o, 422).Field)
	}
	lead.problem("/api/house/competences", order{"person": "tamsin", "family": "scale", "ground": "statement"}, 422)
	noor.problem("/api/house/competences", order{"person": "noor", "family": "ventilator", "ground": "statement"}, 403)
	all := posted[[]workshop.CompetenceView](lead, "/api/house/competences",
		order{"person": "noor", "family": "ventilator", "ground": "examination", "note": "course of 9 March",
			"until": h.now.Format("2006-01-02")})
	require.Equal(t, "Noor Bexley", all[0].Name)
	posted[runview.View](noor, "/api/runs", order{"id": noor.id(), "asset": tag})
	h.now = h.now.AddDate(0, 0, 1)
	noor = h.signedIn("Noor Bexley")
	noor.problem("/api/runs", order{"id": "later-001", "asset": tag}, 403)
	lead = h.signedIn("Tamsin Orrery")
	ofIdris := ""
	for _, c := range all {
		if c.Person == "idris" {
			ofIdris = c.ID
		}
	}
	lead.problem("/api/house/competences/"+ofIdris+"/end", order{"reason": " "}, 422)
	all = posted[[]workshop.CompetenceView](lead, "/api/house/competences/"+ofIdris+"/end", order{"reason": "left the course"})
	assert.Len(t, all, 3, "what was taken back stays on record")
	h.signedIn("Idris Vail").problem("/api/runs", order{"id": "later-002", "asset": tag}, 403)
}
