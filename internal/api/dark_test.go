package api_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"path/filepath"
	"testing"
	"time"

	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/api"
	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// dark is how many readings are given while the server and the network come and go: few as a rule, the full number in
// "make attack".
var dark = flag.Int("dark", 40, "how many readings TestReadingsInTheDark gives")

// weather is a network that loses what is sent, or what comes back, or lets it arrive after the sender has given up.
type weather struct {
	random *rand.Rand
	clear  bool // nothing is lost
	done   map[string]int
}

var errLost = errors.New("lost")

func (w *weather) RoundTrip(request *http.Request) (*http.Response, error) {
	pick := 0
	if !w.clear {
		pick = w.random.IntN(8)
	}
	switch pick {
	case 5:
		w.done["away"]++
		return nil, errLost
	case 6:
		w.done["answer lost"]++
		response, err := http.DefaultTransport.RoundTrip(request)
		if err == nil {
			response.Body.Close()
		}
		return nil, errLost
	case 7:
		w.done["late"]++
		late := request.Clone(request.Context())
		text, err := io.ReadAll(request.Body)
		if err != nil {
			return nil, err
		}
		late.Body = io.NopCloser(bytes.NewReader(text))
		wait := time.Duration(w.random.IntN(20)) * time.Millisecond
		go func() {
			time.Sleep(wait)
			if response, err := http.DefaultTransport.RoundTrip(late); err == nil {
				response.Body.Close()
			}
		}()
		return nil, errLost
	}
	return http.DefaultTransport.RoundTrip(request)
}

// given is an order that was given on the page.
type given struct {
	order
	at     time.Time
	status int    // 0: it was not answered yet
	why    string // it was refused
}

// bench is the page of one technician, with what it keeps while the server does not answer.
type bench struct {
	*client
	weather *weather
	gas     string // address of the gas bench
	run     string
	waiting []*given // in the order in which they were given
	typed   []*given
	linked  []*given
	shown   map[string]api.LiveFrame // by id
}

// Readings are typed and taken while the network loses requests and answers or delivers them late, the page is reloaded,
// and the server is stopped or killed. What was typed is in the record once, with the time at which it was typed, or the
// page has said why not; what was taken over the link is the frame that was on the screen, once.
func TestReadingsInTheDark(t *testing.T) {
	random := rand.New(rand.NewPCG(uint64(*dark), 13))
	h := newHouse(t)
	b := &bench{gas: fastGasBench(t), shown: map[string]api.LiveFrame{},
		weather: &weather{random: random, clear: true, done: map[string]int{}}}
	h.connect(b.gas)
	b.client = h.signedIn("Idris Vail")
	b.http.Transport = b.weather
	b.run = b.toMeasuring(b.open(firstOf(t, b.client, "capnograph", 6))).ID

	// Taken, its answer lost, the server started again, which knows no frames: sent again, it was taken all the same.
	v, frame := get[runview.View](b.client, "/api/runs/"+b.run), b.look("5")
	b.shown[frame.ID] = frame
	first := &given{order: order{"id": "dark-first", "kind": "capture", "measure": "co2", "point": "5", "frame": frame.ID,
		"reason": "now", "expect": v.Seq}, at: b.now}
	b.linked = append(b.linked, first)
	require.Equal(t, http.StatusOK, b.sent(first.order).status)
	b.restart("stopped")
	b.answered(first, b.sent(first.order))
	require.Equal(t, http.StatusOK, first.status, first.why)

	for n := range *dark {
		b.now = b.now.Add(time.Duration(1+random.IntN(90)) * time.Second)
		b.weather.clear = true
		if random.IntN(6) == 0 {
			note := order{"kind": "note", "note": fmt.Sprintf("another %d", n)}
			noor := b.signedIn("Noor Bexley")
			noor.try(get[runview.View](noor, "/api/runs/"+b.run), note) // the screen before is old now
		}
		point := []string{"room-air", "5", "10"}[random.IntN(3)]
		o := order{"id": fmt.Sprintf("dark-%05d", n), "kind": "capture", "measure": "co2", "point": point}
		if random.IntN(3) > 0 {
			o["typed"] = fmt.Sprintf("%s.%05d", map[string]string{"room-air": "0", "5": "5", "10": "10"}[point], 2000+n)
		} else if frame := b.look(point); frame.ID != "" {
			o["frame"], o["reason"] = frame.ID, "now"
			b.shown[frame.ID] = frame
		} else {
			continue
		}
		b.weather.clear = false
		b.give(o)
	}
	b.weather.clear = true
	b.flush()
	b.compare()
	t.Logf("%d readings: %v", *dark, b.weather.done)
	for _, kind := range []string{"away", "answer lost", "late", "killed", "stopped", "reloaded", "recorded"} {
		assert.Positive(t, b.weather.done[kind], kind)
	}
}

// look takes hold of a point, and returns what is shown of it.
func (b *bench) look(point string) api.LiveFrame {
	status, _ := b.call("POST", "/api/runs/"+b.run+"/hold", order{"measure": "co2", "point": point, "take_over": true})
	if status != http.StatusNoContent {
		return api.LiveFrame{}
	}
	return b.frame(b.run, "co2", point, func(f api.LiveFrame) bool { return f.ID != "" })
}

// give is what the page does with an order: what was typed is kept first; it is sent until it is answered, unless the page
// is reloaded, which forgets what was on the screen.
func (b *bench) give(o order) {
	b.weather.clear = true
	v := get[runview.View](b.client, "/api/runs/"+b.run)
	for _, p := range v.Measures[0].Points {
		for _, r := range p.Readings {
			if p.ID == o["point"] && r.Withdrawn == "" {
				v = b.send(v, order{"kind": "withdraw", "reading": r.ID, "reason": "again"})
			}
		}
	}
	b.weather.clear = false
	o["expect"], o["given_at"] = v.Seq, b.now
	if b.weather.random.IntN(6) == 0 {
		o["expect"] = v.Seq - 1 // someone noted something meanwhile
	}
	g := &given{order: o, at: b.now}
	if o["typed"] != nil {
		b.waiting, b.typed = append(b.waiting, g), append(b.typed, g)
	} else {
		b.linked = append(b.linked, g)
	}
	for g.status == 0 {
		b.attempt(g)
		b.now = b.now.Add(time.Duration(b.weather.random.IntN(5000)) * time.Millisecond)
		switch b.weather.random.IntN(12) {
		case 0:
			b.restart("killed")
		case 1:
			b.restart("stopped")
		case 2:
			b.weather.done["reloaded"]++
			b.flush()
			return
		}
	}
	b.waiting = nil
}

// attempt sends an order once; the server may be killed beside it.
func (b *bench) attempt(g *given) {
	if b.weather.random.IntN(12) > 0 {
		b.answered(g, b.sent(g.order))
		return
	}
	answer := make(chan sent, 1)
	go func() { answer <- b.sent(g.order) }()
	time.Sleep(time.Duration(b.weather.random.IntN(3000)) * time.Microsecond)
	b.restart("killed")
	b.answered(g, <-answer)
}

// sent is what came of an order that was sent.
type sent struct {
	status int
	body   []byte
}

func (b *bench) sent(o order) (s sent) {
	text, err := json.Marshal(o)
	require.NoError(b.t, err)
	response, err := b.http.Post(b.server.URL+"/api/runs/"+b.run+"/commands", "application/json", bytes.NewReader(text))
	if err != nil {
		return s
	}
	defer response.Body.Close()
	if s.body, err = io.ReadAll(response.Body); err != nil {
		return sent{}
	}
	s.status = response.StatusCode
	return s
}

// answered notes the answer to an order, if there was one.
func (b *bench) answered(g *given, s sent) {
	switch {
	case s.status == 0 || s.status >= 500:
		return
	case s.status == http.StatusOK:
		b.weather.done["recorded"]++
	default:
		var problem api.Problem
		require.NoError(b.t, json.Unmarshal(s.body, &problem), string(s.body))
		g.why = problem.Detail
		b.weather.done["refused: "+problem.Code]++
	}
	g.status = s.status
}

// flush sends what waits, once and in order, until each is answered.
func (b *bench) flush() {
	for _, g := range b.waiting {
		for g.status == 0 {
			b.answered(g, b.sent(g.order))
		}
	}
	b.waiting = nil
}

// restart ends the server, and starts it again on what is on the disk. Killed, it has no time for anything: no request
// that is under way is answered, and the record is what it was at some moment between two of its transactions.
func (b *bench) restart(how string) {
	b.weather.done[how]++
	before, folder := b.house, b.folder
	if how == "killed" {
		before.server.Listener.Close()
		before.server.CloseClientConnections()
		folder = b.t.TempDir()
		require.NoError(b.t, before.ledger.Backup(filepath.Join(folder, ledger.File)))
	}
	before.end()
	l, err := ledger.Open(folder)
	require.NoError(b.t, err)
	jar := b.http.Jar
	next := houseOf(b.t, folder, l)
	next.now, next.n = before.now, before.n
	clear := b.weather.clear
	b.weather.clear = true
	next.connect(b.gas)
	b.weather.clear = clear
	b.client = &client{next, &http.Client{Jar: jar, Timeout: 20 * time.Second, Transport: b.weather}}
	copied, err := http.NewRequest("GET", next.server.URL, nil)
	require.NoError(b.t, err)
	jar.SetCookies(copied.URL, jar.Cookies(copied.URL)) // cookies do not know ports
}

// compare holds what was given against what is in the record.
func (b *bench) compare() {
	events, err := b.ledger.Events(b.run, 0)
	require.NoError(b.t, err)
	_, err = b.ledger.Verify()
	require.NoError(b.t, err)
	type kept struct {
		run.ReadingCaptured
		at time.Time
	}
	typed, linked := map[string][]kept{}, map[string][]kept{}
	for _, e := range events {
		if r, is := e.Fact.(run.ReadingCaptured); is {
			k := kept{r, e.At}
			if r.Origin != nil {
				linked[r.Origin.Frame] = append(linked[r.Origin.Frame], k)
			} else {
				typed[r.Typed] = append(typed[r.Typed], k)
			}
		}
	}
	for _, g := range b.typed {
		text := g.order["typed"].(string)
		require.NotZero(b.t, g.status, "%s is still not answered", text)
		if g.status != http.StatusOK {
			require.NotEmpty(b.t, g.why, text)
			require.Empty(b.t, typed[text], "%s was refused: %s", text, g.why)
			continue
		}
		require.Len(b.t, typed[text], 1, "%s was acknowledged", text)
		r := typed[text][0]
		require.Equal(b.t, g.order["point"], r.Point)
		at := r.at
		if r.Given != nil {
			at = *r.Given
		}
		require.WithinDuration(b.t, g.at, at, 5*time.Second, "%s: the time is that of the typing", text)
		delete(typed, text)
	}
	require.Empty(b.t, typed, "nothing was recorded that was not typed")
	for _, g := range b.linked {
		id := g.order["frame"].(string)
		all, frame := linked[id], b.shown[id]
		if g.status == http.StatusOK {
			require.Len(b.t, all, 1, "%s was acknowledged", id)
		} else if g.status != 0 {
			require.Empty(b.t, all, "%s was refused: %s", id, g.why)
		}
		require.LessOrEqual(b.t, len(all), 1)
		for _, r := range all {
			require.Equal(b.t, g.order["point"], r.Point)
			require.InDelta(b.t, *frame.Value, mean(r.Values), 1e-9, "the reading is the one that was shown")
		}
		delete(linked, id)
	}
	require.Empty(b.t, linked, "nothing was recorded that was not shown")
}

func mean(values []float64) (m float64) {
	for _, v := range values {
		m += v / float64(len(values))
	}
	return m
}

// What is given while nothing answers is given onto what was on the screen, and onto what was given just before it: sent
// later it is recorded in its order, once, and never over what somebody else recorded between.
func TestWhatIsGivenAwayFollowsInItsOrder(t *testing.T) {
	h := newHouse(t)
	idris, noor := h.signedIn("Idris Vail"), h.signedIn("Noor Bexley")
	v := idris.open(firstOf(t, idris, "capnograph", 6))
	v = idris.send(v, order{"kind": "note", "note": "before"})
	given := func(id, after string) order {
		return order{"id": id, "kind": "note", "note": id, "expect": v.Seq, "after": after}
	}
	refused := func(c *client, o order, why string) {
		t.Helper()
		status, text := c.try(v, o)
		require.Equal(t, http.StatusConflict, status, "%s: %s", why, text)
	}
	early := given("given-02", "given-01")
	early["expect"] = v.Seq - 1
	refused(idris, early, "what it follows was never sent")
	idris.send(v, given("given-01", ""))
	idris.send(v, given("given-02", "given-01"))
	idris.send(v, given("given-02", "given-01")) // its answer was lost
	refused(noor, given("given-03", "given-02"), "what another gave is nobody's to follow")
	refused(idris, given("given-03", "given-01"), "it was given before the last")
	idris.send(v, given("given-03", "given-02"))
	now := get[runview.View](noor, "/api/runs/"+v.ID)
	noor.send(now, order{"kind": "note", "note": "Noor was here"})
	refused(idris, given("given-04", "given-03"), "somebody was there between")

	var notes []string
	for _, n := range get[runview.View](idris, "/api/runs/"+v.ID).Notes {
		notes = append(notes, n.Text)
	}
	assert.Equal(t, []string{"before", "given-01", "given-02", "given-03", "Noor was here"}, notes)
}
