// Package browser drives the real interface in headless Chromium, in the words of
// someone at the bench: go, see, press, type.
package browser

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Patience is how long a page has to show what is looked for.
const Patience = 60 * time.Second

// Page is one window of the browser, of someone with cookies of their own.
type Page struct {
	ctx   context.Context
	base  string
	close context.CancelFunc
	held  bool // it is touched, not clicked

	mutex    sync.Mutex
	troubles []string
}

// hear keeps what the page's scripts complain of.
func (p *Page) hear(event any) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	switch e := event.(type) {
	case *runtime.EventExceptionThrown:
		words := e.ExceptionDetails.Text
		if thrown := e.ExceptionDetails.Exception; thrown != nil {
			words += " " + thrown.Description
		}
		p.troubles = append(p.troubles, words)
	case *runtime.EventConsoleAPICalled:
		if e.Type != runtime.ConsoleAPICalledTypeError && e.Type != runtime.ConsoleAPICalledTypeWarning {
			return
		}
		words := string(e.Type)
		for _, a := range e.Args {
			words += " " + string(a.Value) + a.Description
		}
		p.troubles = append(p.troubles, words)
	}
}

// Troubles are the exceptions, errors and warnings of the page's scripts since they were
// last asked for.
func (p *Page) Troubles() []string {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	heard := p.troubles
	p.troubles = nil
	return heard
}

// Camera is the file that the browser's camera sees, pictures joined one after another (.mjpeg); it is named before the
// first page is opened.
var Camera string

// chromium is the one browser of this process: each page has its own cookies and its own window in it.
var chromium = sync.OnceValues(func() (context.Context, error) {
	path, err := exec.LookPath("chromium-headless-shell") // Chromium without what a window needs: half the work
	if err != nil {
		return nil, fmt.Errorf("chromium-headless-shell is not installed: run sh ci/debian.sh: %w", err)
	}
	allocator, stop := chromedp.NewExecAllocator(context.Background(), chromedp.ExecPath(path), chromedp.Headless,
		chromedp.Flag("use-fake-ui-for-media-stream", true), chromedp.Flag("use-fake-device-for-media-stream", true),
		chromedp.Flag("use-file-for-fake-video-capture", Camera),
		chromedp.NoSandbox, chromedp.DisableGPU, chromedp.NoFirstRun,
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("disable-background-timer-throttling", true),
		chromedp.Flag("disable-backgrounding-occluded-windows", true),
		chromedp.Flag("disable-renderer-backgrounding", true),
		chromedp.Flag("autoplay-policy", "no-user-gesture-required"))
	ctx, cancel := chromedp.NewContext(allocator)
	quit = func() { cancel(); stop() }
	return ctx, chromedp.Do(ctx)
})

// quit ends the browser, once there is one.
var quit = func() {}

// Quit ends the browser; no page can be opened after it.
func Quit() { quit() }

// Open opens a page of its own on a server at a base address such as "http://localhost:8360".
func Open(base string) (*Page, error) {
	parent, err := chromium()
	if err != nil {
		return nil, err
	}
	p := &Page{base: base}
	p.ctx, p.close = chromedp.NewContext(parent, chromedp.WithNewBrowserContext(), chromedp.WithListener(p.hear))
	return p, chromedp.Do(p.ctx, chromedp.EmulateViewport(1280, 800), focused)
}

// focused lets a page have the keys although another's window is in front.
var focused = chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
	_, err := cdp.Call(ctx, t, emulation.SetFocusEmulationEnabled,
		emulation.SetFocusEmulationEnabledParams{Enabled: true})
	return err
})

// Close ends the page.
func (p *Page) Close() { p.close() }

// Narrow shows the page at another size, as a phone or a tablet does, and reports how many parts of the dialog, or of
// the view, lie beyond its right edge.
func (p *Page) Narrow(width, height int) (beyond int, err error) {
	if err := p.do(chromedp.EmulateViewport(int64(width), int64(height))); err != nil {
		return 0, err
	}
	return Eval[int](p, `[...(document.querySelector('[role=dialog]') ?? document.querySelector('main')).querySelectorAll('*')]
		.filter(e => e.getBoundingClientRect().right > innerWidth + 1).length`)
}

// Passkeys gives the page's device passkeys of its own, made and shown as by a finger that is always there.
func (p *Page) Passkeys() error {
	return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		if _, err := cdp.Call(ctx, t, webauthn.Enable, webauthn.EnableParams{}); err != nil {
			return err
		}
		_, err := cdp.Call(ctx, t, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{
			Options: &webauthn.VirtualAuthenticatorOptions{Protocol: webauthn.AuthenticatorProtocolCtap2,
				Transport: webauthn.AuthenticatorTransportInternal, HasResidentKey: true, HasUserVerification: true,
				IsUserVerified: true, AutomaticPresenceSimulation: true}})
		return err
	}))
}

func (p *Page) do(actions ...chromedp.Action[chromedp.Void]) error {
	ctx, cancel := context.WithTimeout(p.ctx, Patience)
	defer cancel()
	return chromedp.Do(ctx, actions...)
}

// Go opens a path of the server.
func (p *Page) Go(path string) error { return p.do(chromedp.Navigate(p.base + path)) }

// Within opens a path by the page's own router, as a link in the page does: the scripts are not loaded again.
func (p *Page) Within(path string) error {
	_, err := Eval[bool](p,
		"history.pushState({}, '', "+quoted(path)+"), dispatchEvent(new PopStateEvent('popstate', {state: {}}))")
	return err
}

// Eval is the value of an expression in the page.
func Eval[T any](p *Page, expression string) (T, error) {
	ctx, cancel := context.WithTimeout(p.ctx, Patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
}

// quoted is a string as JavaScript.
func quoted(text string) string {
	b, _ := json.Marshal(text)
	return string(b)
}

// until asks again and again whether an expression is true, less often the longer it waits.
func (p *Page) until(expression, what string, patience time.Duration) error {
	end := time.Now().Add(patience)
	for pause := 40 * time.Millisecond; ; pause = min(pause+pause/4, 400*time.Millisecond) {
		ok, err := Eval[bool](p, "!!("+expression+")")
		if ok {
			return nil
		}
		if time.Now().After(end) {
			text, _ := p.Text("body")
			return fmt.Errorf("%s was not there after %s (%v); the page shows:\n%s", what, patience, err,
				strings.TrimSpace(text))
		}
		time.Sleep(pause)
	}
}

// See waits until the page shows a text.
func (p *Page) See(text string) error { return p.SeeWithin(text, Patience) }

// SeeWithin is [Page.See] with a patience of its own.
func (p *Page) SeeWithin(text string, patience time.Duration) error {
	return p.until("document.body.innerText.includes("+quoted(text)+")", fmt.Sprintf("the text %q", text), patience)
}

// SeeNow is [Page.SeeWithin] for what the page shows beside the list of a run's steps, where every step's
// title stands all the time.
func (p *Page) SeeNow(text string, patience time.Duration) error {
	return p.until("document.body.innerText.replace(document.querySelector('nav[aria-label=Way]')?.innerText ?? '', '').includes("+quoted(text)+")", fmt.Sprintf("the text %q in hand", text), patience)
}

// SeeIn waits until the first element that matches a selector shows a text.
func (p *Page) SeeIn(selector, text string) error {
	return p.until("document.querySelector("+quoted(selector)+")?.innerText.includes("+quoted(text)+")",
		fmt.Sprintf("the text %q in %s", text, selector), 2*Patience)
}

// Gone waits until the page no longer shows a text.
func (p *Page) Gone(text string) error {
	return p.until("!document.body.innerText.includes("+quoted(text)+")", fmt.Sprintf("the end of the text %q", text),
		Patience)
}

// Wait waits until something matches a CSS selector.
func (p *Page) Wait(selector string) error {
	return p.until("document.querySelector("+quoted(selector)+")", "something matching "+selector, Patience)
}

// Has reports whether the page shows a text now.
func (p *Page) Has(text string) bool {
	ok, _ := Eval[bool](p, "document.body.innerText.includes("+quoted(text)+")")
	return ok
}

// Text is the text of the first element that matches a selector.
func (p *Page) Text(selector string) (string, error) {
	return Eval[string](p, "(document.querySelector("+quoted(selector)+")?.innerText ?? '')")
}

// finder finds the last visible button, link or option whose text begins with some words; dialogs stand last in the page.
const finder = `[...document.querySelectorAll('button, a, summary, [role=option], [role=menuitem]')].filter(e => e.checkVisibility() && !e.disabled && e.innerText.trim().replace(/\s+/g,' ').startsWith(%s)).pop()`

// Press clicks the button or link whose text begins with these words, once it can be clicked.
func (p *Page) Press(words string) error {
	find := fmt.Sprintf(finder, quoted(words))
	if err := p.until(find, fmt.Sprintf("a button %q", words), Patience); err != nil {
		return err
	}
	if p.held {
		return p.tap(find)
	}
	_, err := Eval[bool](p, "("+find+").click() || true")
	return err
}

// Key presses a key: a character, or Enter, Escape, Backspace.
func (p *Page) Key(key string) error {
	if named := map[string]string{
		"Enter":     kb.Enter,
		"Escape":    kb.Escape,
		"Backspace": kb.Backspace,
		"Tab":       kb.Tab,
		"ArrowDown": kb.ArrowDown,
	}[key]; named != "" {
		key = named
	}
	time.Sleep(60 * time.Millisecond) // a person, not a scanner
	return p.do(chromedp.KeyEvent(key))
}

// AltDigit presses Alt with a digit.
func (p *Page) AltDigit(digit string) error {
	_, err := Eval[bool](p, "(d => { document.body.dispatchEvent(new KeyboardEvent('keydown', {key: d, code: 'Digit' + d, "+
		"altKey: true, bubbles: true, cancelable: true})); return true })("+quoted(digit)+")")
	return err
}

// Scan types as a barcode scanner does: at once, with Shift before each capital, and Enter at the end.
func (p *Page) Scan(text string) error {
	_, err := Eval[bool](p, `((text) => {
		const at = document.activeElement
		const press = (key, shiftKey) => at.dispatchEvent(new KeyboardEvent('keydown', {key, shiftKey, bubbles: true, cancelable: true}))
		for (const key of text) {
			if (/[A-Z]/.test(key)) press('Shift', true)
			if (press(key, /[A-Z]/.test(key)) && at.tagName === 'INPUT') {
				at.value += key
				at.dispatchEvent(new Event('input', {bubbles: true}))
			}
		}
		press('Enter', false)
		return true
	})(`+quoted(text)+")")
	return err
}

// Fill replaces the content of a field by typing; again, where the page drew the field anew meanwhile.
func (p *Page) Fill(selector, text string) error {
	field := "document.querySelector(" + quoted(selector) + ")"
	for tries := 0; ; tries++ {
		if err := p.Wait(selector); err != nil {
			return err
		}
		if _, err := Eval[bool](p, "(e => { e?.focus(); e?.select?.(); return true })("+field+")"); err != nil {
			return err
		}
		if err := p.do(chromedp.KeyEvent(text)); err != nil {
			return err
		}
		typed, err := Eval[string](p, "("+field+"?.value ?? '')")
		if err != nil || typed == text {
			return err
		}
		if tries == 3 {
			return fmt.Errorf("%s holds %q after typing %q", selector, typed, text)
		}
	}
}

// Paste replaces the content of a field at once.
func (p *Page) Paste(selector, text string) error {
	if err := p.Wait(selector); err != nil {
		return err
	}
	_, err := Eval[bool](p, "(e => { e.value = "+quoted(text)+
		"; e.dispatchEvent(new Event('input')); return true })(document.querySelector("+quoted(selector)+"))")
	return err
}

// Choose picks an option of a select element.
func (p *Page) Choose(selector, text string) error {
	if err := p.until("[...(document.querySelector("+quoted(selector)+")?.options ?? [])].some(o => o.text === "+
		quoted(text)+")", "the option "+text, Patience); err != nil {
		return err
	}
	_, err := Eval[bool](p, "(e => { e.value = [...e.options].find(o => o.text === "+quoted(text)+
		").value; e.dispatchEvent(new Event('change')); return true })(document.querySelector("+quoted(selector)+"))")
	return err
}

// SignIn signs someone in and waits for their day.
func (p *Page) SignIn(name, password string) error {
	return All(
		func() error { return p.Go("/") },
		func() error { return p.Fill("input[name=name]", name) },
		func() error { return p.Fill("input[name=password]", password) },
		func() error { return p.Key("Enter") },
		func() error { return p.See("What to bring") },
	)
}

// All does steps in order until one fails.
func All(steps ...func() error) error {
	for _, step := range steps {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

// Shot takes a picture of the window into a PNG file.
func (p *Page) Shot(file string) error {
	ctx, cancel := context.WithTimeout(p.ctx, Patience)
	defer cancel()
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, png, 0o644)
}

// Attach chooses a file in a file field.
func (p *Page) Attach(selector, file string) error {
	if err := p.Wait(selector); err != nil {
		return err
	}
	return p.do(chromedp.SetUploadFiles(selector, []string{file}))
}
