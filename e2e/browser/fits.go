package browser

import (
	"context"
	_ "embed"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// fits is the script that looks at a page as a hand does.
//
//go:embed fits.js
var fits string

// Hold shows the page at the size of a device that is held in the hand and touched.
func (p *Page) Hold(width, height int) error {
	return p.do(chromedp.EmulateViewport(int64(width), int64(height), chromedp.EmulateTouch))
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
func (p *Page) Fits() ([]string, error) { return Eval[[]string](p, fits) }
