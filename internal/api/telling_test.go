package api_test

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"northneedle/core/lookback"
	"northneedle/internal/ledger"
	"northneedle/internal/mail"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// postBox stands for a mail server: it keeps what it takes, and answers with an error while it has one.
type postBox struct {
	taken []mail.Message
	err   error
}

func (b *postBox) Send(_ context.Context, m mail.Message) error {
	if b.err != nil {
		return b.err
	}
	b.taken = append(b.taken, m)
	return nil
}

// byLink asks for something with the secret of a link, and nothing else.
func (h *house) byLink(t *testing.T, secret, verb, path string, body any) (int, []byte) {
	t.Helper()
	text, err := json.Marshal(body)
	require.NoError(t, err)
	request, err := http.NewRequest(verb, h.server.URL+path, strings.NewReader(string(text)))
	require.NoError(t, err)
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("X-Needle-Link", secret)
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	answer, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, answer
}

// secretOf is the secret in a contact's link.
func (c *client) secretOf(name string) string {
	for _, contact := range get[workshop.TellingView](c, "/api/telling").Contacts {
		if contact.Name == name {
			_, secret, _ := strings.Cut(contact.Link, "#")
			return secret
		}
	}
	return ""
}

func TestWhatIsDueIsSentOnceAWeek(t *testing.T) {
	h := newHouse(t)
	lead, manager, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Odile Marsh"), h.signedIn("Idris Vail")
	box := &postBox{err: errors.New("451 try later")}
	h.shop.Post = box
	posted[workshop.HouseView](lead, "/api/house/address", order{"address": "https://needle.example"})
	assert.Equal(t, 403, statusOf(technician.call("POST", "/api/telling/contacts", order{"name": "Ward",
		"site": "Merrowby General", "digest": false})))
	for field, o := range map[string]order{
		"name":  {"name": " ", "site": "Merrowby General", "digest": false},
		"site":  {"name": "Everyone", "digest": false},
		"place": {"name": "Ward", "place": "Ward 3", "owner": "x", "digest": false},
		"mail":  {"name": "Ward", "site": "Merrowby General", "digest": true},
	} {
		assert.Equal(t, field, lead.problem("/api/telling/contacts", o, 422).Field)
	}
	h.now = time.Date(2026, 3, 3, 9, 0, 0, 0, time.UTC) // a Tuesday
	posted[workshop.TellingView](lead, "/api/telling/contacts", order{"name": "Recovery desk",
		"mail": "recovery@hallowmere.example",
		"site": "Merrowby General", "place": "Recovery", "digest": true})
	send := func() workshop.TellingView {
		require.NoError(t, h.shop.SendLetters(context.Background()))
		return get[workshop.TellingView](manager, "/api/telling")
	}
	ours := func() (some []workshop.LetterView) {
		for _, l := range send().Letters {
			if l.Name == "Recovery desk" {
				some = append(some, l)
			}
		}
		return some
	}
	assert.Empty(t, ours(), "Monday was before they were entered")
	h.now = time.Date(2026, 3, 9, 6, 59, 0, 0, time.UTC)
	assert.Empty(t, ours())

	// The mail server does not take it: it is tried again, later and later, and then given up.
	h.now = h.now.Add(time.Minute)
	for try, wait := range workshop.DefaultMailRules().Retries {
		l := ours()
		require.Len(t, l, 1)
		assert.Equal(t, try+1, l[0].Tries)
		assert.Contains(t, l[0].Trouble, "451 try later")
		assert.Equal(t, h.now.Add(time.Duration(wait)*time.Minute), l[0].Next.UTC())
		assert.Equal(t, try+1, ours()[0].Tries, "not before its time")
		h.now = h.now.Add(time.Duration(wait) * time.Minute)
	}
	l := ours()
	require.Len(t, l, 1)
	assert.Nil(t, l[0].Next)
	assert.NotNil(t, l[0].Ended)
	box.err = nil
	h.now = h.now.Add(24 * time.Hour)
	assert.Nil(t, ours()[0].Sent, "given up is given up")
	posted[workshop.TellingView](technician, "/api/telling/letters/"+l[0].ID, nil)
	l = ours()
	require.NotNil(t, l[0].Sent)
	require.Len(t, box.taken[len(box.taken)-1:], 1)
	assert.Equal(t, 409, statusOf(technician.call("POST", "/api/telling/letters/"+l[0].ID, nil)), "it was sent")

	// The mail says what the register says, device by device.
	got := box.taken[len(box.taken)-1]
	assert.Equal(t, "recovery@hallowmere.example", got.To)
	for _, a := range h.all(t, lead, url.Values{"site": {"Merrowby General"}, "place": {"Recovery"}}) {
		if a.Stop {
			assert.Contains(t, got.Text, a.Tag+", "+a.Device)
		}
	}
	assert.NotContains(t, got.Text, "Theatre")
	assert.NotContains(t, got.Text, ledger.PageMark)
	h.now = time.Date(2026, 3, 16, 7, 0, 0, 0, time.UTC)
	assert.Len(t, ours(), 2, "once a week")
	assert.Len(t, ours(), 2)
	box.err = mail.ErrRefused
	h.now = h.now.AddDate(0, 0, 7)
	l = ours()
	require.NotNil(t, l[0].Ended, "a server that knows no such address is not asked again")
	assert.Equal(t, 1, l[0].Tries)

	// A link goes out by mail, and stands in no record.
	box.err = nil
	contact := ""
	for _, c := range get[workshop.TellingView](lead, "/api/telling").Contacts {
		if c.Name == "Recovery desk" {
			contact = "/api/telling/contacts/" + c.ID
		}
	}
	assert.Contains(t, lead.problem(contact, order{"do": "mail"}, 422).Detail, "no link yet")
	posted[workshop.TellingView](lead, contact, order{"do": "link"})
	posted[workshop.TellingView](lead, contact, order{"do": "mail"})
	ours()
	got = box.taken[len(box.taken)-1]
	secret := lead.secretOf("Recovery desk")
	assert.Contains(t, got.Text, "https://needle.example/told#"+secret)
	record, err := os.ReadFile(filepath.Join(h.folder, ledger.File))
	require.NoError(t, err)
	assert.NotContains(t, string(record), strings.SplitN(secret, ".", 2)[1])
	assert.Empty(t, technician.secretOf("Recovery desk"), "a technician sees no link")
	posted[workshop.TellingView](lead, contact, order{"do": "mail"})
	posted[workshop.TellingView](lead, contact, order{"do": "end", "why": "moved house"})
	sent := len(box.taken)
	assert.NotNil(t, ours()[0].Ended)
	assert.Len(t, box.taken, sent, "nothing goes to somebody who is told no more")
}

func TestAnOwnerSeesAndAnswersByTheirLinkAlone(t *testing.T) {
	h := newHouse(t)
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	box := &postBox{}
	h.shop.Post = box
	secret := lead.secretOf("Quillet Island Clinic, nurse in charge")
	require.NotEmpty(t, secret)
	told := func(search string) (page workshop.ToldPage) {
		status, body := h.byLink(t, secret, "GET", "/api/told?search="+search, nil)
		require.Equal(t, 200, status, string(body))
		require.NoError(t, json.Unmarshal(body, &page))
		return page
	}

	// Every device of theirs, as everywhere else, and no other.
	may := map[string]workshop.MayUse{}
	for _, d := range told("").Devices {
		may[d.Tag] = d.May
	}
	theirs := h.all(t, lead, url.Values{"site": {"Quillet Island Clinic"}})
	require.Len(t, may, len(theirs))
	for _, a := range theirs {
		assert.Equal(t, a.Stop, may[a.Tag] == workshop.MayNo, a.Tag)
	}
	for _, wrong := range []string{"", "x", "contact-quillet", "contact-quillet.", secret + "x",
		"contact-petrel." + strings.SplitN(secret, ".", 2)[1]} {
		for verb, path := range map[string]string{"GET": "/api/told", "POST": "/api/told/faults"} {
			status, body := h.byLink(t, wrong, verb, path, order{"id": "fault-by-guess", "tag": theirs[0].Tag,
				"name": "x", "what": "x"})
			assert.Equal(t, 422, status, string(body))
			assert.Contains(t, string(body), "opens nothing")
		}
	}
	for _, path := range []string{"/api/assets", "/api/look-backs", "/api/telling", "/api/house"} {
		status, _ := h.byLink(t, secret, "GET", path, nil)
		assert.Equal(t, 401, status, "a link opens its page, and nothing else")
	}

	// A fault from their page stops the device at once; sent twice it is one.
	tag := ""
	for _, a := range theirs {
		if !a.Stop {
			tag = a.Tag
		}
	}
	report := order{"id": "fault-by-link", "tag": tag, "name": "Sister Ann", "what": "it shuts itself off"}
	for range 2 {
		status, body := h.byLink(t, secret, "POST", "/api/told/faults", report)
		require.Equal(t, 200, status, string(body))
	}
	require.Len(t, told(tag).Devices, 1)
	assert.Equal(t, workshop.MayNo, told(tag).Devices[0].May)
	view := get[workshop.AssetView](lead, "/api/assets/"+tag)
	require.Len(t, view.Faults, 1)
	assert.Contains(t, view.Faults[0].By, "on their page")
	assert.Contains(t, view.Words, "it shuts itself off (Sister Ann")
	report["id"], report["tag"] = "fault-elsewhere", "MB-0417"
	assert.Equal(t, 404, statusOf(h.byLink(t, secret, "POST", "/api/told/faults", report)), "not theirs")

	// A notice goes by mail, counts as told once it was taken, and is answered on the page.
	a, err := h.ledger.Asset(tag)
	require.NoError(t, err)
	require.NoError(t, h.ledger.Record(ledger.Act{Kind: "look-back opened", By: ledger.Nobody, At: h.now},
		&ledger.LookBack{ID: "lb-quillet", Kind: ledger.OnDevice, AssetID: a.ID, Title: tag + " found out", Found: "out",
			Until: h.now, Levels: []lookback.Level{}, Risk: 3, OpenedAt: h.now, OpenedBy: "Tamsin Orrery"},
		&ledger.Notice{ID: "lb-quillet-owner", LookBackID: "lb-quillet", AssetID: a.ID, To: "Clinic", Text: "It read low."}))
	notice := get[workshop.LookBackView](lead, "/api/look-backs/lb-quillet").Told[0]
	require.Len(t, notice.Mailable, 1)
	path := "/api/look-backs/lb-quillet/notices/lb-quillet-owner"
	assert.Equal(t, "to", technician.problem(path, order{"kind": "mail", "text": "It read low.", "to": "nobody"}, 422).Field)
	box.err = errors.New("no connection")
	posted[workshop.LookBackView](technician, path, order{"kind": "mail", "text": "It read low.", "to": "contact-quillet"})
	assert.Equal(t, 409, statusOf(technician.call("POST", path, order{"kind": "mail", "text": "Twice.",
		"to": "contact-quillet"})))
	require.NoError(t, h.shop.SendLetters(context.Background()))
	assert.Nil(t, get[workshop.LookBackView](lead, "/api/look-backs/lb-quillet").Told[0].SentAt, "nobody was told yet")
	assert.Empty(t, told("").Notices)
	answer := order{"notice": "lb-quillet-owner", "name": "Sister Ann", "answer": "Nobody was treated by it."}
	assert.Equal(t, 404, statusOf(h.byLink(t, secret, "POST", "/api/told/answers", answer)))
	box.err = nil
	h.now = h.now.Add(time.Hour)
	require.NoError(t, h.shop.SendLetters(context.Background()))
	require.NotNil(t, get[workshop.LookBackView](lead, "/api/look-backs/lb-quillet").Told[0].SentAt)
	require.Len(t, told("").Notices, 1)
	assert.Equal(t, 200, statusOf(h.byLink(t, secret, "POST", "/api/told/answers", answer)))
	status, body := h.byLink(t, secret, "POST", "/api/told/answers", answer)
	assert.Equal(t, 422, status, string(body))
	answered := get[workshop.LookBackView](lead, "/api/look-backs/lb-quillet").Told[0]
	assert.Equal(t, "Nobody was treated by it.", answered.Answer)
	assert.Contains(t, answered.AnsweredBy, "Sister Ann (Quillet Island Clinic")

	// When a new link is made, the old one opens nothing.
	posted[workshop.TellingView](lead, "/api/telling/contacts/contact-quillet", order{"do": "link"})
	assert.Equal(t, 422, statusOf(h.byLink(t, secret, "GET", "/api/told", nil)))
	assert.NotEqual(t, secret, lead.secretOf("Quillet Island Clinic, nurse in charge"))
}

func TestWhoeverReviewsIsToldByMail(t *testing.T) {
	h := newHouse(t)
	box := &postBox{}
	h.shop.Post = box
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	assert.Equal(t, "mail", lead.problem("/api/session/mail", order{"mail": "not one"}, 422).Field)
	assert.Equal(t, 204, statusOf(lead.call("POST", "/api/session/mail", order{"mail": "tamsin@hallowmere.example"})))
	assert.Equal(t, 204, statusOf(technician.call("POST", "/api/session/mail", order{"mail": "idris@hallowmere.example"})))
	assert.Equal(t, "tamsin@hallowmere.example", get[workshop.SessionView](lead, "/api/session").Mail)
	w := technician.signable(firstOf(t, technician, "capnograph", 2))
	w.send(w.v, order{"kind": "sign", "statement": "Done.", "reviewer": "tamsin"})
	require.NoError(t, h.shop.SendLetters(context.Background()))
	require.NoError(t, h.shop.SendLetters(context.Background()))
	var to []string
	for _, m := range box.taken {
		if strings.HasPrefix(m.Subject, "To review: ") {
			to = append(to, m.To)
		}
	}
	assert.Equal(t, []string{"tamsin@hallowmere.example"}, to, "the lead alone, once")
}
