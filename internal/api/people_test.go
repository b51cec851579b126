package api_test

import (
	"bytes"
	"strings"
	"testing"

	"northneedle/core/person"
	"northneedle/internal/ledger"
	"northneedle/internal/people"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// listed is what became of a list of people.
func (c *client) listed(t *testing.T, text string, take bool) (v workshop.PersonListView) {
	path := "/api/house/people-list"
	if take {
		path += "?take=true"
	}
	status, answer := c.upload(path, "application/octet-stream", []byte(text))
	require.Equal(t, 200, status, string(answer))
	return decoded[workshop.PersonListView](t, string(answer))
}

// People come as a list: each gets a one-time password that is told once, opens nothing but a change of it, and stands in no
// list that goes out. What went out comes in elsewhere.
func TestPeopleComeAsAList(t *testing.T) {
	h := newHouse(t)
	keeper, lead := h.signedIn("Bram Ostley"), h.signedIn("Tamsin Orrery")
	list := "name,role,mail,may_sign_in\n" +
		"Wren Halloway,technician,wren@merrowby.example,\n" +
		"Idris  VAIL,technician,,\n" +
		"Ash Penrow,surgeon,,\n" +
		"Corin Lask,trainee,corin at home,\n" +
		"Wren halloway,lead,,\n" +
		"Wren\u200b Halloway,lead,,\n" +
		"Mere Tolliver,lead,,no\n"
	read := keeper.listed(t, list, false)
	require.Len(t, read.People, 2)
	fields := []string{}
	for _, r := range read.Refused {
		fields = append(fields, r.Field)
	}
	assert.Equal(t, []string{"name", "role", "mail", "name", "name"}, fields)
	assert.Empty(t, read.People[0].Password, "nobody is registered yet")
	before := len(get[workshop.HouseView](keeper, "/api/house").People)
	taken := keeper.listed(t, list, true)
	require.True(t, taken.Done)
	assert.Len(t, get[workshop.HouseView](keeper, "/api/house").People, before+2)
	assert.Regexp(t, `^[a-z2-7]{4}-[a-z2-7]{4}-[a-z2-7]{4}$`, taken.People[0].Password)
	assert.Empty(t, taken.People[1].Password, "who may not sign in gets none")
	again := keeper.listed(t, list, true)
	assert.Empty(t, again.People)
	assert.False(t, again.Done, "sent twice, they are registered once")

	wren := h.client()
	session := posted[workshop.SessionView](wren, "/api/session", order{"name": "Wren Halloway",
		"password": taken.People[0].Password})
	assert.Equal(t, people.OwnPassword, session.Owes)
	for _, other := range []*client{lead, h.signedIn("Idris Vail")} {
		assert.Equal(t, 403, code(other.upload("/api/house/people-list?take=true", "application/octet-stream", []byte(list))))
		assert.Equal(t, 403, code(other.call("GET", "/api/house/people-list", nil)))
	}
	_, out := keeper.call("GET", "/api/house/people-list", nil)
	assert.Contains(t, string(out), "Wren Halloway,technician,wren@merrowby.example,yes")
	assert.NotContains(t, string(out), "argon")
	for _, secret := range []string{taken.People[0].Password, "argon2"} {
		_, log := keeper.call("GET", "/api/history/person/"+session.Person.ID, nil)
		assert.NotContains(t, string(log), secret)
	}
	elsewhere := emptyHouse(t)
	hash, err := people.Hash(workshop.DemoPassword)
	require.NoError(t, err)
	require.NoError(t, elsewhere.ledger.Save(&ledger.Person{ID: "bram", Name: "Bram Ostley", Role: person.Administrator,
		PasswordHash: hash, Active: true}))
	moved := elsewhere.signedIn("Bram Ostley").listed(t, string(bytes.TrimPrefix(out, []byte("\xef\xbb\xbf"))), true)
	assert.Len(t, moved.People, before+2-3, "all but those who are there already")

	// Who may do what alone comes as a list too, by a lead.
	named := lead.takesIn(t, "competences", "name,family,ground,note,until\n"+
		"Wren Halloway,audiometer,examination,theory and practice,2028-05-31\n"+
		"Wren Halloway,audiometer,,,\n"+
		"Wren Halloway,kettle,,,\n"+
		"Nobody Here,audiometer,,,\n"+
		"Fenn Castellan,audiometer,,,\n"+
		"Tamsin Orrery,infusion-pump,,,\n"+
		"Wren Halloway,infusion-pump,,from the former record,\n")
	assert.Equal(t, 2, named.Rows)
	var why []string
	for _, r := range named.Refused {
		why = append(why, r.Field)
	}
	assert.Equal(t, []string{"family", "family", "name", "person", "person"}, why)
	rows := []string{}
	for _, row := range h.rows(lead, "competences") {
		if row["name"] == "Wren Halloway" {
			rows = append(rows, strings.Join([]string{row["family"], row["ground"], row["note"], row["until"], row["by"]}, "|"))
		}
	}
	assert.ElementsMatch(t, []string{"audiometer|examination|theory and practice|2028-05-31|Tamsin Orrery",
		"infusion-pump|imported|from the former record||Tamsin Orrery"}, rows)
}

// Whoever changes what somebody may do says why, and sees what that one still has in hand: runs, devices, rounds, drafts, and
// what nobody else does alone.
func TestWhatALeaverHasInHandIsSeen(t *testing.T) {
	h := newHouse(t)
	keeper, lead, idris := h.signedIn("Bram Ostley"), h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	held := func() (words []string) {
		for _, one := range get[[]workshop.Holding](keeper, "/api/house/people/idris/holdings") {
			words = append(words, one.Words)
		}
		return words
	}
	before := len(held())
	idris.open(firstOf(t, idris, "infusion-pump", 0))
	posted[[]workshop.CompetenceView](lead, "/api/house/competences", order{"person": "idris", "family": "breath-monitor",
		"ground": "statement"})
	lead.answered("POST", "/api/assets/"+firstOf(t, lead, "audiometer", 0)+"/correct",
		order{"keeper": "Idris Vail", "reason": "his from now on"}, 200)
	h.drafted(idris, get[workshop.ProcedureText](idris, "/api/procedures/breath-monitor-check").Text)
	require.Len(t, held(), before+3, strings.Join(held(), " "))
	all := strings.Join(held(), " ")
	assert.Contains(t, all, "nobody else does alone: breath-monitor")
	assert.Contains(t, all, "One device looked after.")
	assert.Equal(t, "reason", keeper.problem("/api/house/people/idris", order{"role": person.Technician, "active": false},
		422).Field)
	assert.Equal(t, "reason", keeper.problem("/api/house/people/idris", order{"role": person.Lead, "active": true,
		"reason": " "}, 422).Field)
	posted[workshop.HouseView](keeper, "/api/house/people/idris", order{"role": person.Technician, "active": false,
		"reason": "retires at the end of May"})
	happened := get[[]workshop.HappenedView](keeper, "/api/history/person/idris")
	assert.Equal(t, "retires at the end of May", happened[0].Why)
	assert.Len(t, held(), before+3, "it stays in sight until it is handed on")
}
