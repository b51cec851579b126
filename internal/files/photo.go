package files

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	_ "image/png" // the other that is read
	"slices"

	"golang.org/x/image/draw"
)

// What a photograph is kept as: a JPEG whose longer side has so many pixels at most, and that has so many bytes at most.
const (
	photoSide  = 1600
	PhotoBytes = 300_000
)

// mostPixels is how large a picture is read: the largest that cameras of tablets and phones take.
const mostPixels = 60_000_000

// Photo gives a photograph as it is kept: a JPEG of at most PhotoBytes bytes. It is turned as the camera says, scaled
// down and encoded again, which drops the file's metadata, such as the place. Photo takes JPEG and PNG; the error says why something is neither.
func Photo(content []byte) ([]byte, error) {
	head, sort, err := image.DecodeConfig(bytes.NewReader(content))
	switch {
	case len(content) == 0:
		return nil, errors.New("it is empty")
	case err != nil:
		return nil, errors.New("it is no picture that is read here, JPEG or PNG: a camera that makes others can be set to JPEG")
	case head.Width < 1 || head.Height < 1 || head.Width > mostPixels/head.Height:
		return nil, fmt.Errorf("it has %d × %d pixels, more than is read here: take it smaller", head.Width, head.Height)
	}
	picture, err := decoded(content)
	if err != nil {
		return nil, errors.New("it is a picture that was cut off or changed on its way: take it again")
	}
	if sort == "jpeg" {
		return small(picture, orientation(content))
	}
	return small(picture, upright)
}

// decoded reads a picture; what no reader expected is an error as any other.
func decoded(content []byte) (picture image.Image, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("reading a picture: %v", r)
		}
	}()
	picture, _, err = image.Decode(bytes.NewReader(content))
	return picture, err
}

// small writes a picture at its kept size: with less of its detail, then with fewer pixels, until it is small enough.
func small(picture image.Image, turn int) ([]byte, error) {
	for side := photoSide; ; side = side * 3 / 4 {
		fitted := turned(fit(picture, side), turn)
		for _, quality := range []int{85, 70, 55} {
			var out bytes.Buffer
			if err := jpeg.Encode(&out, fitted, &jpeg.Options{Quality: quality}); err != nil {
				return nil, err
			}
			if out.Len() <= PhotoBytes {
				return out.Bytes(), nil
			}
		}
	}
}

// fit is a picture on white, whose longer side has so many pixels at most.
func fit(picture image.Image, side int) *image.RGBA {
	from := picture.Bounds()
	width, height := from.Dx(), from.Dy()
	if longer := max(width, height); longer > side {
		width, height = max(1, width*side/longer), max(1, height*side/longer)
	}
	to := image.NewRGBA(image.Rect(0, 0, width, height))
	draw.Draw(to, to.Bounds(), image.NewUniform(color.White), image.Point{}, draw.Src)
	draw.ApproxBiLinear.Scale(to, to.Bounds(), picture, from, draw.Over, nil)
	return to
}

// upright is how a camera says that a picture need not be turned.
const upright = 1

// turned is a picture as its camera held it: by the values of Exif's tag Orientation, 1 to 8.
func turned(p *image.RGBA, orientation int) *image.RGBA {
	w, h := p.Rect.Dx(), p.Rect.Dy()
	if orientation <= upright || orientation > 8 {
		return p
	}
	size := image.Rect(0, 0, w, h)
	if orientation >= 5 {
		size = image.Rect(0, 0, h, w)
	}
	out := image.NewRGBA(size)
	for y := range h {
		for x := range w {
			var to image.Point
			switch orientation {
			case 2:
				to = image.Pt(w-1-x, y)
			case 3:
				to = image.Pt(w-1-x, h-1-y)
			case 4:
				to = image.Pt(x, h-1-y)
			case 5:
				to = image.Pt(y, x)
			case 6:
				to = image.Pt(h-1-y, x)
			case 7:
				to = image.Pt(h-1-y, w-1-x)
			case 8:
				to = image.Pt(y, w-1-x)
			}
			out.SetRGBA(to.X, to.Y, p.RGBAAt(x, y))
		}
	}
	return out
}

// orientation is what a JPEG says of how its camera was held (Exif 2.32, tag 0x0112); upright where it says nothing.
func orientation(content []byte) int {
	for at := 2; at+4 <= len(content) && content[at] == 0xff && content[at+1] != 0xda; {
		length := int(binary.BigEndian.Uint16(content[at+2:]))
		if length < 2 || at+2+length > len(content) {
			return upright
		}
		if tiff, is := bytes.CutPrefix(content[at+4:at+2+length], []byte("Exif\x00\x00")); is && content[at+1] == 0xe1 {
			return tiffOrientation(tiff)
		}
		at += 2 + length
	}
	return upright
}

// tiffOrientation finds the tag in the first directory of a TIFF header.
func tiffOrientation(tiff []byte) int {
	var order binary.ByteOrder = binary.LittleEndian
	if bytes.HasPrefix(tiff, []byte("MM")) {
		order = binary.BigEndian
	}
	if len(tiff) < 8 {
		return upright
	}
	at := int(order.Uint32(tiff[4:]))
	if at < 8 || at+2 > len(tiff) {
		return upright
	}
	for entry := range slices.Chunk(tiff[at+2:min(len(tiff), at+2+12*int(order.Uint16(tiff[at:])))], 12) {
		if len(entry) == 12 && order.Uint16(entry) == 0x0112 {
			return int(order.Uint16(entry[8:]))
		}
	}
	return upright
}
