package ipp

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"io"
)

// The PWG raster format [PWG5102.4]: a word, and of each page a header and its lines, packed. Only pages in one colour
// are written and read: black with a bit a dot, or grey with a byte a dot.

const (
	syncWord    = "RaS2"
	headerBytes = 1796
	black       = 3  // colour space: 1 is ink
	grey        = 18 // sGray: 0 is black

	atTitle, atResolution, atPageSize, atWidth     = 0, 276, 352, 372
	atHeight, atBitsPerColor, atBitsPerPixel       = 376, 384, 388
	atBytesPerLine, atColorSpace, atColors, atPage = 392, 400, 420, 452
	atCross, atFeed, atSizeName                    = 456, 460, 1732

	mostDots = 1 << 26 // of a page that is read
)

// Raster types, as a printer names them.
const (
	Black1 = "black_1"
	SGray8 = "sgray_8"
)

// Raster writes pages, of black and white, as a raster type.
func Raster(pages []*image.Gray, dpi int, kind string) ([]byte, error) {
	if kind != Black1 && kind != SGray8 {
		return nil, fmt.Errorf("ipp: no raster type %q", kind)
	}
	var out bytes.Buffer
	out.WriteString(syncWord)
	for _, page := range pages {
		w, h := page.Bounds().Dx(), page.Bounds().Dy()
		bits, space, line := 8, grey, w
		if kind == Black1 {
			bits, space, line = 1, black, (w+7)/8
		}
		head := make([]byte, headerBytes)
		put := func(at int, v int) { binary.BigEndian.PutUint32(head[at:], uint32(v)) }
		copy(head[atTitle:], "PwgRaster")
		put(atResolution, dpi)
		put(atResolution+4, dpi)
		put(atPageSize, w*72/dpi)
		put(atPageSize+4, h*72/dpi)
		put(atWidth, w)
		put(atHeight, h)
		put(atBitsPerColor, bits)
		put(atBitsPerPixel, bits)
		put(atBytesPerLine, line)
		put(atColorSpace, space)
		put(atColors, 1)
		put(atPage, len(pages))
		put(atCross, 1)
		put(atFeed, 1)
		copy(head[atSizeName:], fmt.Sprintf("custom_label_%.2fx%.2fmm", float64(w)/float64(dpi)*25.4, float64(h)/float64(dpi)*25.4))
		out.Write(head)
		lines := make([][]byte, h)
		for y := range h {
			lines[y] = make([]byte, line)
			for x := range w {
				v := page.Pix[y*page.Stride+x]
				switch {
				case kind == SGray8:
					lines[y][x] = v
				case v < 128:
					lines[y][x/8] |= 0x80 >> (x % 8)
				}
			}
		}
		for y := 0; y < h; {
			n := 1
			for y+n < h && n < 256 && bytes.Equal(lines[y], lines[y+n]) {
				n++
			}
			out.WriteByte(byte(n - 1))
			pack(&out, lines[y])
			y += n
		}
	}
	return out.Bytes(), nil
}

// pack writes a line as runs: n, v says v n+1 times; 257−n and n values say those.
func pack(out *bytes.Buffer, line []byte) {
	same := func(i int) int {
		n := 1
		for i+n < len(line) && n < 128 && line[i+n] == line[i] {
			n++
		}
		return n
	}
	for i := 0; i < len(line); {
		if n := same(i); n > 1 || i+1 == len(line) {
			out.WriteByte(byte(n - 1))
			out.WriteByte(line[i])
			i += n
			continue
		}
		n := 1
		for i+n < len(line) && n < 128 && same(i+n) < 3 {
			n++
		}
		if n == 1 {
			out.WriteByte(0)
		} else {
			out.WriteByte(byte(257 - n))
		}
		out.Write(line[i : i+n])
		i += n
	}
}

// ReadRaster reads the pages of a PWG raster document as pictures, 255 for white. Errors say what it is not.
func ReadRaster(r io.Reader) ([]*image.Gray, error) {
	in := bufio.NewReader(r)
	word := make([]byte, len(syncWord))
	if _, err := io.ReadFull(in, word); err != nil || string(word) != syncWord {
		return nil, errors.New("ipp: not a PWG raster document")
	}
	var pages []*image.Gray
	for {
		head := make([]byte, headerBytes)
		if _, err := io.ReadFull(in, head); errors.Is(err, io.EOF) {
			return pages, nil
		} else if err != nil {
			return pages, fmt.Errorf("ipp: header of page %d: %w", len(pages)+1, err)
		}
		page, err := readPage(in, head)
		if err != nil {
			return pages, fmt.Errorf("ipp: page %d: %w", len(pages)+1, err)
		}
		pages = append(pages, page)
	}
}

func readPage(in *bufio.Reader, head []byte) (*image.Gray, error) {
	get := func(at int) int { return int(binary.BigEndian.Uint32(head[at:])) }
	w, h, bits, line, space := get(atWidth), get(atHeight), get(atBitsPerPixel), get(atBytesPerLine), get(atColorSpace)
	mono := bits == 1 && space == black && line == (w+7)/8
	if !mono && !(bits == 8 && space == grey && line == w) {
		return nil, fmt.Errorf("%d bits of colour space %d: only black and grey are read", bits, space)
	}
	if w <= 0 || h <= 0 || w > mostDots/h {
		return nil, fmt.Errorf("%d × %d dots", w, h)
	}
	page := image.NewGray(image.Rect(0, 0, w, h))
	for y := 0; y < h; {
		again, err := in.ReadByte()
		if err != nil {
			return nil, err
		}
		data, err := unpack(in, line)
		if err != nil {
			return nil, err
		}
		for range int(again) + 1 {
			if y >= h {
				return nil, errors.New("more lines than its height")
			}
			for x := range w {
				v := data[min(x, line-1)]
				if mono {
					v = 255
					if data[x/8]&(0x80>>(x%8)) != 0 {
						v = 0
					}
				}
				page.Pix[y*page.Stride+x] = v
			}
			y++
		}
	}
	return page, nil
}

// unpack reads a line of so many bytes.
func unpack(in *bufio.Reader, length int) ([]byte, error) {
	var line []byte
	for len(line) < length {
		n, err := in.ReadByte()
		if err != nil {
			return nil, err
		}
		if n <= 127 {
			v, err := in.ReadByte()
			if err != nil {
				return nil, err
			}
			line = append(line, bytes.Repeat([]byte{v}, int(n)+1)...)
			continue
		}
		some := make([]byte, 257-int(n))
		if _, err := io.ReadFull(in, some); err != nil {
			return nil, err
		}
		line = append(line, some...)
	}
	if len(line) != length {
		return nil, errors.New("a line longer than its page")
	}
	return line, nil
}
