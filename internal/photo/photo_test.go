package photo

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io"
	"strings"
	"testing"
)

// picture is w × h, red in its upper left quarter.
func picture(w, h int) image.Image {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.RGBA{30, 60, 200, 255}
			if x < w/2 && y < h/2 {
				c = color.RGBA{220, 20, 20, 255}
			}
			img.Set(x, y, c)
		}
	}
	return img
}

func asJPEG(img image.Image) []byte {
	var b bytes.Buffer
	jpeg.Encode(&b, img, nil)
	return b.Bytes()
}

// withExif puts an APP1 segment with an orientation and a secret behind the
// start of a JPEG.
func withExif(data []byte, orientation byte) []byte {
	tiff := []byte("MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00" + string(orientation) +
		"\x00\x00\x00\x00\x00\x00GPS-OF-THE-KITCHEN")
	body := append([]byte("Exif\x00\x00"), tiff...)
	segment := append([]byte{0xff, 0xe1, 0, 0}, body...)
	binary.BigEndian.PutUint16(segment[2:], uint16(len(body)+2))
	return append(append(bytes.Clone(data[:2]), segment...), data[2:]...)
}

func TestPrepareResizesTurnsAndForgets(t *testing.T) {
	p, err := Prepare(bytes.NewReader(withExif(asJPEG(picture(2400, 1200)), 6))) // lies on its side
	if err != nil {
		t.Fatal(err)
	}
	if p.Width != 800 || p.Height != 1600 {
		t.Errorf("kept %d × %d, want 800 × 1600", p.Width, p.Height)
	}
	if bytes.Contains(p.JPEG, []byte("GPS")) || bytes.Contains(p.JPEG, []byte("Exif")) || bytes.Contains(p.Thumb,
		[]byte("Exif")) {
		t.Error("what the camera wrote is still in it")
	}
	img, err := jpeg.Decode(bytes.NewReader(p.JPEG))
	if err != nil {
		t.Fatal(err)
	}
	if r, _, b, _ := img.At(700, 100).RGBA(); r < b { // upper left, turned clockwise, is upper right
		t.Error("it was not turned upright")
	}
	if thumb, err := jpeg.DecodeConfig(bytes.NewReader(p.Thumb)); err != nil || thumb.Height != ThumbSide {
		t.Errorf("thumb %+v, %v", thumb, err)
	}
}

func TestPrepareTakesPNGWithTransparency(t *testing.T) {
	var b bytes.Buffer
	png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 60, 40)))
	p, err := Prepare(&b)
	if err != nil {
		t.Fatal(err)
	}
	img, _ := jpeg.Decode(bytes.NewReader(p.JPEG))
	if r, _, _, _ := img.At(30, 20).RGBA(); r < 0xf000 {
		t.Error("nothing is not white")
	}
}

// bomb is a PNG of a few bytes that claims to be w × h.
func bomb(w, h uint32) []byte {
	header := make([]byte, 17)
	copy(header, "IHDR")
	binary.BigEndian.PutUint32(header[4:], w)
	binary.BigEndian.PutUint32(header[8:], h)
	header[12], header[13] = 8, 6
	out := append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\x0d"), header...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(header))
}

// frame is the head of a JPEG of w × h whose frame has a marker: baseline 0xc0, progressive 0xc2.
func frame(marker byte, w, h uint16) []byte {
	head := []byte{0xff, 0xd8, 0xff, marker, 0, 17, 8}
	head = binary.BigEndian.AppendUint16(head, h)
	head = binary.BigEndian.AppendUint16(head, w)
	head = append(head, 3, 1, 0x11, 0, 2, 0x11, 0, 3, 0x11, 0)
	return append(head, 0xff, 0xda, 0, 12, 3, 1, 0, 2, 0x11, 3, 0x11, 0, 63, 0)
}

func TestPrepareRefuses(t *testing.T) {
	whole := asJPEG(picture(400, 300))
	for name, c := range map[string]struct {
		file io.Reader
		want error
	}{
		"nothing":                             {strings.NewReader(""), ErrNoPicture},
		"a text":                              {strings.NewReader("<svg onload=alert(1)>"), ErrType},
		"a page as JPEG":                      {strings.NewReader("\xff\xd8\xff<html>"), ErrType},
		"half a picture":                      {bytes.NewReader(whole[:len(whole)/3]), ErrBroken},
		"too many pixels":                     {bytes.NewReader(bomb(60000, 60000)), ErrPixels},
		"30 million pixels, and then nothing": {bytes.NewReader(frame(0xc0, 6000, 5000)), ErrBroken},
		"as many, progressive":                {bytes.NewReader(frame(0xc2, 6000, 5000)), ErrPixels},
		"a thin strip":                        {bytes.NewReader(bomb(2_000_000_000, 16)), ErrPixels},
		"a dot":                               {bytes.NewReader(asJPEG(picture(8, 8))), ErrTooSmall},
		"a very long file": {io.MultiReader(bytes.NewReader(whole), bytes.NewReader(make([]byte, MaxBytes))),
			ErrTooLarge},
	} {
		if _, err := Prepare(c.file); !errors.Is(err, c.want) {
			t.Errorf("%s: %v, want %v", name, err, c.want)
		}
	}
}

// Whatever the bytes, Prepare answers with a picture or one of its errors.
func FuzzPrepare(f *testing.F) {
	small := asJPEG(picture(40, 30))
	f.Add(small)
	f.Add(withExif(small, 8))
	f.Add(bomb(100, 100))
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := Prepare(bytes.NewReader(data))
		if err == nil && (len(p.JPEG) == 0 || p.Width < 1) {
			t.Error("neither a picture nor an error")
		}
	})
}
