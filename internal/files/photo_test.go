package files_test

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math/rand/v2"
	"testing"

	"northneedle/internal/files"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// corners is a picture whose four quarters differ: red, green, blue and white, from the top left by rows.
func corners(w, h int) *image.RGBA {
	p := image.NewRGBA(image.Rect(0, 0, w, h))
	inks := []color.RGBA{{200, 0, 0, 255}, {0, 200, 0, 255}, {0, 0, 200, 255}, {250, 250, 250, 255}}
	for y := range h {
		for x := range w {
			p.SetRGBA(x, y, inks[2*(2*y/h)+2*x/w])
		}
	}
	return p
}

// seen are the quarters of a picture, by their ink.
func seen(t *testing.T, content []byte) (size image.Point, quarters string) {
	t.Helper()
	p, err := jpeg.Decode(bytes.NewReader(content))
	require.NoError(t, err)
	size = p.Bounds().Size()
	for _, at := range []image.Point{{1, 1}, {3, 1}, {1, 3}, {3, 3}} {
		r, g, b, _ := p.At(size.X*at.X/4, size.Y*at.Y/4).RGBA()
		switch {
		case r > 0xa000 && g > 0xa000 && b > 0xa000:
			quarters += "w"
		case r > max(g, b):
			quarters += "r"
		case g > max(r, b):
			quarters += "g"
		default:
			quarters += "b"
		}
	}
	return size, quarters
}

// held is a JPEG whose camera says how it was held, and where.
func held(t *testing.T, p image.Image, orientation uint16, order binary.ByteOrder) []byte {
	t.Helper()
	var body bytes.Buffer
	require.NoError(t, jpeg.Encode(&body, p, nil))
	tiff := []byte("II*\x00")
	if order == binary.BigEndian {
		tiff = []byte("MM\x00*")
	}
	put16 := func(v uint16) { tiff = order.(binary.AppendByteOrder).AppendUint16(tiff, v) }
	put32 := func(v uint32) { tiff = order.(binary.AppendByteOrder).AppendUint32(tiff, v) }
	put32(8)
	put16(2)
	put16(0x010f) // the maker, before it
	put16(2)
	put32(4)
	tiff = append(tiff, "Ost\x00"...)
	put16(0x0112)
	put16(3)
	put32(1)
	put16(orientation)
	put16(0)
	exif := append([]byte("Exif\x00\x00"), tiff...)
	exif = append(exif, "GPS 54.1 N, taken by Idris Vail"...)
	head := append([]byte{0xff, 0xd8, 0xff, 0xe1}, binary.BigEndian.AppendUint16(nil, uint16(len(exif)+2))...)
	return append(append(head, exif...), body.Bytes()[2:]...)
}

func TestAPhotographIsTurnedAndStripped(t *testing.T) {
	// By hand: where the quarters of an upright picture lie in one whose camera was held so.
	for orientation, quarters := range map[uint16]string{0: "rgbw", 1: "rgbw", 2: "grwb", 3: "wbgr", 4: "bwrg", 5: "rbgw", 6: "brwg",
		7: "wgbr", 8: "gwrb", 9: "rgbw"} {
		for _, order := range []binary.ByteOrder{binary.LittleEndian, binary.BigEndian} {
			kept, err := files.Photo(held(t, corners(80, 40), orientation, order))
			require.NoError(t, err)
			size, is := seen(t, kept)
			assert.Equal(t, quarters, is, "orientation %d", orientation)
			if orientation >= 5 && orientation <= 8 {
				assert.Equal(t, image.Pt(40, 80), size)
			} else {
				assert.Equal(t, image.Pt(80, 40), size)
			}
			for _, left := range []string{"Exif", "GPS", "Idris", "Ost"} {
				assert.NotContains(t, string(kept), left)
			}
		}
	}
}

func TestAPhotographIsSmall(t *testing.T) {
	var through bytes.Buffer
	require.NoError(t, png.Encode(&through, image.NewNRGBA(image.Rect(0, 0, 30, 20))))
	kept, err := files.Photo(through.Bytes())
	require.NoError(t, err)
	_, quarters := seen(t, kept)
	assert.Equal(t, "wwww", quarters, "what one sees through lies on white")

	noise := image.NewRGBA(image.Rect(0, 0, 2400, 1800)) // the worst to make small
	random := rand.New(rand.NewPCG(1, 2))
	for i := range noise.Pix {
		noise.Pix[i] = uint8(random.Uint32())
	}
	var large bytes.Buffer
	require.NoError(t, jpeg.Encode(&large, noise, nil))
	kept, err = files.Photo(large.Bytes())
	require.NoError(t, err)
	assert.LessOrEqual(t, len(kept), files.PhotoBytes)
	again, err := files.Photo(kept)
	require.NoError(t, err)
	assert.LessOrEqual(t, len(again), files.PhotoBytes)

	for words, wrong := range map[string][]byte{"it is empty": nil, "no picture that is read here": []byte("%PDF-1.7"),
		"cut off or changed": large.Bytes()[:5000], "pixels, more than is read": bomb()} {
		_, err := files.Photo(wrong)
		assert.ErrorContains(t, err, words)
	}
}

// bomb is the head of a picture of more pixels than any camera takes.
func bomb() []byte {
	b := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR")
	b = binary.BigEndian.AppendUint32(b, 60_000)
	b = binary.BigEndian.AppendUint32(b, 60_000)
	b = append(b, 8, 2, 0, 0, 0)
	return binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(b[12:]))
}

func FuzzPhoto(f *testing.F) {
	var body bytes.Buffer
	_ = jpeg.Encode(&body, corners(8, 8), nil)
	f.Add(body.Bytes())
	f.Add(bomb())
	f.Add([]byte("\xff\xd8\xff\xe1\x00\x10Exif\x00\x00MM\x00*\x00\x00\x00\x08\xff\xff"))
	f.Fuzz(func(t *testing.T, content []byte) {
		kept, err := files.Photo(content)
		if err == nil && (len(kept) > files.PhotoBytes || len(kept) == 0) {
			t.Fatalf("kept with %d bytes", len(kept))
		}
	})
}
