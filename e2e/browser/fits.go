package browser

import (
	"context"
	_ "embed"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// fits is the script that looks at a page as a hand does.
//
//go:embed fits.js
var fits string

// Hold shows the page at the size of a device that is held in the hand and touched.
func (p *Page) Hold(width, height int) error {
	p.held = true
	return p.do(chromedp.EmulateViewport(int64(width), int64(height), chromedp.EmulateTouch))
}

// Held reports whether the page is held in the hand.
func (p *Page) Held() bool { return p.held }

// PutDown shows the page on a desk again.
func (p *Page) PutDown() error {
	p.held = false
	return p.do(chromedp.EmulateViewport(1280, 800))
}

// Tap touches the middle of the first element that matches a selector.
func (p *Page) Tap(selector string) error {
	if err := p.Wait(selector); err != nil {
		return err
	}
	return p.tap("document.querySelector(" + quoted(selector) + ")")
}

// middle brings what an expression finds into sight, and is where its middle lies, in pixels.
func (p *Page) middle(find string) ([]float64, error) {
	return Eval[[]float64](p, `(e => {
		e.scrollIntoView({block: 'nearest'})
		const r = e.getBoundingClientRect()
		return [r.x + r.width / 2, r.y + r.height / 2]
	})(`+find+`)`)
}

// tap touches the middle of what an expression finds.
func (p *Page) tap(find string) error {
	at, err := p.middle(find)
	if err != nil {
		return err
	}
	return p.do(chromedp.TapXY(at[0], at[1]))
}

// Swipe draws a finger across the middle of the first element that matches a selector, by so many pixels to the right.
func (p *Page) Swipe(selector string, by float64) error {
	at, err := p.middle("document.querySelector(" + quoted(selector) + ")")
	if err != nil {
		return err
	}
	touch := func(kind input.DispatchTouchEventType, x ...float64) error {
		return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
			points := []*input.TouchPoint{}
			for _, x := range x {
				points = append(points, &input.TouchPoint{X: x, Y: at[1]})
			}
			_, err := cdp.Call(ctx, t, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: points})
			return err
		}))
	}
	return All(
		func() error { return touch(input.DispatchTouchEventTypeTouchStart, at[0]) },
		func() error { return touch(input.DispatchTouchEventTypeTouchMove, at[0]+by/2) },
		func() error { return touch(input.DispatchTouchEventTypeTouchMove, at[0]+by) },
		func() error { return touch(input.DispatchTouchEventTypeTouchEnd) },
	)
}

// Letters sets how large text is by its reader's own choice, in pixels: 16 for who chose none.
func (p *Page) Letters(pixels int) error {
	return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, page.SetFontSizes,
			page.SetFontSizesParams{FontSizes: &page.FontSizes{Standard: int64(pixels)}})
		return err
	}))
}

// Fits says what of the dialog, or of the page, does not fit its size, each in words: beyond an edge, cut off, too small
// for a finger, covered.
func (p *Page) Fits() ([]string, error) {
	if _, err := Eval[bool](p, "new Promise(done => requestAnimationFrame(() => setTimeout(() => done(true), 50)))"); err != nil {
		return nil, err // not laid out yet
	}
	return Eval[[]string](p, fits)
}
