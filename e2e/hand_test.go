package e2e_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"io"
	"math/rand/v2"
	"net"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"northneedle/e2e/browser"

	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/qr"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// film writes a film of a label that is moved about before a camera.
func film(file, tag string) error {
	code, err := qr.Encode(tag, qr.M, qr.Auto)
	if err != nil {
		return err
	}
	if code, err = barcode.Scale(code, 260, 260); err != nil {
		return err
	}
	var frames bytes.Buffer
	for n := range 30 {
		frame := image.NewGray(image.Rect(0, 0, 640, 480))
		draw.Draw(frame, frame.Bounds(), image.NewUniform(color.Gray{Y: 200}), image.Point{}, draw.Src)
		at := image.Pt(150+2*n, 90+n)
		draw.Draw(frame, code.Bounds().Inset(-30).Add(at), image.White, image.Point{}, draw.Src)
		draw.Draw(frame, code.Bounds().Add(at), code, image.Point{}, draw.Src)
		if err := jpeg.Encode(&frames, frame, nil); err != nil {
			return err
		}
	}
	return os.WriteFile(file, frames.Bytes(), 0o600)
}

// scanned holds a phone's camera before a label: its device opens. A finger that is drawn along the dock goes to the next
// run, and a page of a phone finds its way without any of the desk's.
func scanned(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.must(p.Hold(390, 844))
	p.must(p.Tap("[aria-label='Scan a label']"))
	p.see("Ostrel C2 capnograph", "Fingerprint over time")
	at, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	assert.Equal(t, "/equipment/MB-0417", at)
	p.picture("scanned")

	p.must(p.Tap("footer a"))
	p.see("Corners as found", "1/2")
	before, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	p.swipesTo("2/2", -200)
	after, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	assert.NotEqual(t, before, after)
	p.swipesTo("1/2", 200)
	p.see("Corners as found")

	for tries := 0; tries < 3; tries++ { // a finger that comes right after a swipe may not count
		p.must(p.Tap("nav[aria-label=Views] button"))
		if p.SeeWithin("Workings", 3*time.Second) == nil {
			break
		}
	}
	p.fitsHere("the views' menu")
	p.must(p.Press("Rounds"))
	p.see("The year ahead")
	for _, trouble := range p.Troubles() {
		assert.Fail(t, trouble)
	}
}

// swipesTo draws a finger across the dock until a text is there, as somebody does whose glove slipped.
func (p *page) swipesTo(text string, by float64) {
	p.t.Helper()
	for range 3 {
		p.must(p.Swipe("footer", by))
		if p.SeeWithin(text, 3*time.Second) == nil {
			return
		}
	}
	p.see(text)
}

// wire is a network between a page and the server that can be cut: then nobody listens, and what was open is closed.
type wire struct {
	t        *testing.T
	to       string
	address  string
	mutex    sync.Mutex
	listener net.Listener
	open     []net.Conn
}

func wired(t *testing.T, s *server) *wire {
	t.Helper()
	w := &wire{t: t, to: strings.TrimPrefix(s.base, "http://"), address: "127.0.0.1:0"}
	w.mend()
	t.Cleanup(w.cut)
	return w
}

// mend lets the network through again, at the address it had.
func (w *wire) mend() {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	if w.listener != nil {
		return
	}
	listener, err := net.Listen("tcp", w.address)
	require.NoError(w.t, err)
	w.listener, w.address = listener, listener.Addr().String()
	go func() {
		for {
			from, err := listener.Accept()
			if err != nil {
				return // it is cut
			}
			to, err := net.Dial("tcp", w.to)
			if err != nil {
				from.Close()
				continue
			}
			w.mutex.Lock()
			if w.listener != listener {
				from.Close()
				to.Close()
			}
			w.open = append(w.open, from, to)
			w.mutex.Unlock()
			go func() { io.Copy(to, from); to.Close() }()
			go func() { io.Copy(from, to); from.Close() }()
		}
	}()
}

// cut ends every connection, and lets nobody in.
func (w *wire) cut() {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	if w.listener == nil {
		return
	}
	w.listener.Close()
	for _, c := range w.open {
		c.Close()
	}
	w.listener, w.open = nil, nil
}

// networkComesAndGoes types the points of a scale. The network is cut and mended at random, and the page is sometimes
// reloaded. What was typed is in the record once and in its order, each at the point that was on the screen.
func networkComesAndGoes(t *testing.T, s *server) {
	w := wired(t, s)
	p := openPage(t, &server{base: "http://" + w.address}, "Idris Vail")
	p.must(p.Hold(820, 1180))
	p.must(p.Tap("[data-dock=MB-0462]"))
	p.see("Corners as found: front left")
	path, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	until := func(expression string) bool {
		for range 120 {
			if ok, err := browser.Eval[bool](p.Page, expression); err == nil && ok {
				return true
			}
			time.Sleep(100 * time.Millisecond)
		}
		p.picture("network")
		return false
	}
	kept, err := browser.Eval[bool](p.Page, "navigator.serviceWorker.ready.then(r => !!r.active)")
	require.NoError(t, err)
	require.True(t, kept, "the pages are kept")
	random := rand.New(rand.NewPCG(7, 18))
	up, cuts := true, 0
	var typed []string
	const heading = `(document.querySelector('[aria-label=Work] h2')?.innerText ?? '')`
	for n := 0; ; n++ {
		require.Less(t, n, 30, "it comes to an end")
		require.True(t, until(heading+` !== ''`))
		at, err := browser.Eval[string](p.Page, heading)
		require.NoError(t, err)
		point, is := strings.CutPrefix(at, "Corners as found: ")
		if !is {
			if point, is = strings.CutPrefix(at, "Repeatability as found: "); !is {
				break
			}
		}
		if random.IntN(2) == 0 {
			if up = !up; up {
				w.mend()
			} else {
				w.cut()
				cuts++
			}
		}
		if !up && random.IntN(3) == 0 {
			p.must(p.Go(path)) // opened from what the browser kept
			require.True(t, until(heading+fmt.Sprintf(` === %q`, at)), "it opens where it was: %s", at)
		}
		value, err := browser.Eval[string](p.Page, `document.querySelector('main .num.leading-tight').innerText.trim()`)
		require.NoError(t, err)
		before, err := browser.Eval[string](p.Page, `document.querySelector('label .label')?.innerText + `+heading)
		require.NoError(t, err)
		p.must(p.Fill("input[name=reading]", value))
		p.must(p.Tap("#thumb .btn-main"))
		typed = append(typed, point+" "+value)
		require.True(t, until(fmt.Sprintf(`document.querySelector('label .label')?.innerText + %s !== %q`, heading, before)), "it goes on after %s", at)
	}
	require.Positive(t, cuts)
	w.mend()
	require.True(t, until(`new Promise(done => { const opening = indexedDB.open('needle-outbox'); opening.onsuccess = () => {
		const counting = opening.result.transaction('entries').objectStore('entries').count()
		counting.onsuccess = () => { opening.result.close(); done(counting.result === 0) } } })`), "nothing waits any more")
	assert.False(t, p.Has("Not recorded:"), "nothing was refused")
	p.picture("network")
	recorded, err := browser.Eval[[]string](p.Page, fmt.Sprintf(`fetch('/api/runs/' + %q.split('/').pop() + '/record.json').then(r => r.json()).then(({events, view}) => events
		.filter(e => e.kind === 'ReadingCaptured').map(e => e.fact ?? e.data ?? e).filter(f => ['corners', 'repeatability'].includes(f.measure))
		.map(f => view.measures.find(m => m.id === f.measure).points.find(p => p.id === f.point).label + ' ' + f.typed))`, path))
	require.NoError(t, err)
	assert.Equal(t, typed, recorded)
}
