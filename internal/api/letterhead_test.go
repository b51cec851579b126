package api_test

import (
	"bytes"
	"encoding/base64"
	"image"
	"image/png"
	"testing"
	"time"

	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What certificates carry is checked when it is entered: a scope names a measure that is there, a logo is a whole picture.
// The rules of judging, kept from a page that was open before, do not take it away again.
func TestTheLetterheadIsCheckedAndKept(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	scope := map[string]any{"procedure": "capnograph-oximeter-verification", "measure": "co2", "from": 1, "to": 6, "unit": "%{vol}", "cmc": 0.05}
	letterhead := func(change map[string]any, body, number string) map[string]any {
		line := map[string]any{}
		for k, v := range scope {
			line[k] = v
		}
		for k, v := range change {
			line[k] = v
		}
		return map[string]any{"address": " Slipway 4 ", "accreditation": map[string]any{"body": body, "number": number, "scope": []any{line}}}
	}
	for words, bad := range map[string]map[string]any{
		"no measure co3":      letterhead(map[string]any{"measure": "co3"}, "HAO", "1"),
		"from the lower":      letterhead(map[string]any{"to": 0.5}, "HAO", "1"),
		"is above 0":          letterhead(map[string]any{"cmc": 0}, "HAO", "1"),
		"or neither":          letterhead(nil, "HAO", ""),
		"neither and no scop": letterhead(nil, "", ""),
	} {
		assert.Contains(t, c.problem("/api/house/letterhead", bad, 422).Detail, words)
	}
	before := get[workshop.HouseView](c, "/api/house").Lab
	v := posted[workshop.HouseView](c, "/api/house/letterhead", letterhead(nil, "HAO", "1"))
	assert.Equal(t, "Slipway 4", v.Lab.Letterhead.Address)
	v = posted[workshop.HouseView](c, "/api/house/lab", before) // from a page that knew nothing of it
	assert.Equal(t, "HAO", v.Lab.Letterhead.Accreditation.Body)

	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewGray(image.Rect(0, 0, 40, 20))))
	logo := func(raw []byte) map[string]string {
		return map[string]string{"picture": base64.StdEncoding.EncodeToString(raw)}
	}
	var wide bytes.Buffer
	require.NoError(t, png.Encode(&wide, image.NewGray(image.Rect(0, 0, 2001, 2))))
	for words, bad := range map[string][]byte{"no picture": []byte("GIF89a"), "damaged": picture.Bytes()[:picture.Len()-20],
		"2000 pixels": wide.Bytes()} {
		assert.Contains(t, c.problem("/api/house/logo", logo(bad), 422).Detail, words)
	}
	v = posted[workshop.HouseView](c, "/api/house/logo", logo(picture.Bytes()))
	status, served := c.call("GET", "/api/logos/"+v.Lab.Letterhead.Logo, nil)
	assert.Equal(t, 200, status)
	assert.Equal(t, picture.Bytes(), served)
	opened := c.open(firstOf(t, c, "capnograph", 3))
	assert.Equal(t, v.Lab.Letterhead, opened.Letterhead)
	assert.Empty(t, posted[workshop.HouseView](c, "/api/house/logo", logo(nil)).Lab.Letterhead.Logo)
}

// What was read of a room is offered in the same room within the hour, with the instrument that it was read from; and a
// room is read from nothing that has no certificate.
func TestARoomIsOfferedAgainWithinTheHour(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Noor Bexley")
	first := c.open(firstOf(t, c, "capnograph", 3))
	c.refused(first, order{"kind": "ambient", "step": "room-conditions", "temperature": "21", "pressure": "1008", "humidity": "46",
		"source": "the wall"}, 422, "source", "by its tag: RC-01")
	first = c.toMeasuring(first)
	h.now = h.now.Add(40 * time.Minute)
	place := get[workshop.AssetView](c, "/api/assets/"+first.Device.Tag)
	var near string
	for _, a := range get[workshop.AssetPageView](c, "/api/assets").Assets {
		if a.Place == place.Place && a.Site == place.Site && a.Tag != place.Tag && !a.Stop && near == "" {
			near = a.Tag
		}
	}
	require.NotEmpty(t, near, "another device in that room")
	second := c.open(near)
	offer := get[workshop.RoomOffer](c, "/api/runs/"+second.ID+"/room")
	require.NotNil(t, offer.Last)
	assert.Equal(t, []string{"RC-01", "RC-02"}, offer.Instruments)
	assert.Equal(t, "RC-01", offer.Last.Ambient.Instrument)
	assert.Equal(t, first.Device.Tag, offer.Last.Tag)
	h.now = h.now.Add(40 * time.Minute)
	assert.Nil(t, get[workshop.RoomOffer](c, "/api/runs/"+second.ID+"/room").Last, "an hour is over")
}
