// Package photo makes pictures from a camera fit to be kept: turned upright,
// no larger than needed, re-encoded, and without what the camera wrote into
// them (place, owner, time). It trusts nothing that it reads.
package photo

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"image"
	"image/color"
	_ "image/jpeg" // formats that are read
	_ "image/png"
	"io"

	"github.com/disintegration/imaging"
	_ "golang.org/x/image/webp"
)

// Limits of what is read and kept.
const (
	MaxBytes = 20 << 20 // of a file
	// MaxMemory is what one picture may take up while it is read, bytes: a file of a few kilobytes
	// may claim billions of pixels. One is read at a time.
	MaxMemory = 400 << 20
	MinSide   = 16
	KeptSide  = 1600 // the longer side of what is kept
	ThumbSide = 320
	quality   = 82
)

// Errors of Prepare, each fit to stand beside the field.
var (
	ErrTooLarge = fmt.Errorf("is larger than %d MB", MaxBytes>>20)
	ErrType     = errors.New("is not a JPEG, PNG or WebP picture")
	ErrPixels   = fmt.Errorf("has too many pixels: %d million are read here, %d million of a progressive JPEG",
		MaxMemory/perPixel/1_000_000, MaxMemory/(perPixel+perCoefficients)/1_000_000)
	ErrTooSmall  = fmt.Errorf("is smaller than %d pixels", MinSide)
	ErrBroken    = errors.New("is broken: it could not be read to its end")
	ErrNoPicture = errors.New("choose a picture")
)

// Photo is a picture ready to be kept.
type Photo struct {
	JPEG, Thumb   []byte
	Width, Height int
	SHA256        [32]byte // of JPEG
}

// working is held by who reads a picture.
var working = make(chan struct{}, 1)

// Prepare reads a picture and makes it fit to be kept. It returns one of the
// package's errors, or that of the reader, which must not wait for a sender.
func Prepare(r io.Reader) (Photo, error) {
	working <- struct{}{}
	defer func() { <-working }()
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	switch {
	case err != nil:
		return Photo{}, err
	case len(data) == 0:
		return Photo{}, ErrNoPicture
	case len(data) > MaxBytes:
		return Photo{}, ErrTooLarge
	}
	// The header alone first: it says what would be decoded.
	config, format, err := image.DecodeConfig(bytes.NewReader(data))
	switch {
	case err != nil:
		return Photo{}, ErrType
	case config.Width < MinSide || config.Height < MinSide:
		return Photo{}, ErrTooSmall
	case config.Width > MaxMemory/bytesPerPixel(config, format, data)/config.Height:
		return Photo{}, ErrPixels
	}
	full, err := imaging.Decode(bytes.NewReader(data), imaging.AutoOrientation(true))
	if err != nil {
		return Photo{}, ErrBroken
	}
	kept := onWhite(imaging.Fit(full, KeptSide, KeptSide, imaging.Lanczos))
	p := Photo{Width: kept.Bounds().Dx(), Height: kept.Bounds().Dy()}
	if p.JPEG, err = encode(kept); err != nil {
		return Photo{}, err
	}
	if p.Thumb, err = encode(imaging.Fit(kept, ThumbSide, ThumbSide, imaging.Lanczos)); err != nil {
		return Photo{}, err
	}
	p.SHA256 = sha256.Sum256(p.JPEG)
	return p, nil
}

// What a pixel takes up at most while its picture is read, bytes: as it is decoded and as it is turned
// upright; beside that the coefficients of a progressive JPEG, four bytes for each of three planes.
const (
	turned          = 4
	perPixel        = 4 + turned
	perCoefficients = 3 * 4
)

func bytesPerPixel(config image.Config, format string, data []byte) int {
	switch {
	case format == "jpeg" && progressive(data):
		return perPixel + perCoefficients
	case config.ColorModel == color.RGBA64Model || config.ColorModel == color.NRGBA64Model:
		return 8 + turned
	}
	return perPixel
}

// progressive reports whether a JPEG's frame is a progressive one, by walking its markers to the frame.
// Source: [ITU-T T.81, B.1.1.3].
func progressive(data []byte) bool {
	for i := 2; i+4 <= len(data) && data[i] == 0xff; {
		switch marker := data[i+1]; {
		case marker == 0xff: // fill
			i++
			continue
		case marker == 0xc2:
			return true
		case marker == 0xc0 || marker == 0xc1 || marker == 0xda:
			return false
		}
		i += 2 + int(data[i+2])<<8 + int(data[i+3])
	}
	return true // nobody knows: count the most
}

// onWhite lays a picture that may be transparent on white: JPEG knows no
// transparency.
func onWhite(img image.Image) image.Image {
	size := img.Bounds().Size()
	return imaging.OverlayCenter(imaging.New(size.X, size.Y, color.White), img, 1)
}

func encode(img image.Image) ([]byte, error) {
	var out bytes.Buffer
	if err := imaging.Encode(&out, img, imaging.JPEG, imaging.JPEGQuality(quality)); err != nil {
		return nil, fmt.Errorf("encoding the picture: %w", err)
	}
	return out.Bytes(), nil
}
