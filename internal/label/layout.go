package label

import (
	"strings"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
	"rsc.io/qr"
)

// The fonts of labels: they hold the letters of all European languages.
var regular, bold = parse(goregular.TTF), parse(gobold.TTF)

func parse(ttf []byte) *opentype.Font {
	f, err := opentype.Parse(ttf)
	if err != nil {
		panic(err)
	}
	return f
}

// text is a line of writing.
type text struct {
	X, Y  float64 // of its left end, on its base line
	Size  float64 // of an em
	Bold  bool
	White bool
	Text  string
}

// box is a filled rectangle.
type box struct{ X, Y, W, H float64 }

// layout is a label with a place for all that stands on it.
type layout struct {
	Texts []text
	Bars  []box
	Code  *qr.Code
	QR    box
}

const (
	margin  = 2.0 // to the edges of a label
	gap     = 1.0 // between its blocks
	quiet   = 2.0 // of white around the code
	leading = 1.15
	ascent  = 0.78 // of an em, of the letters of a line
)

// face is a font at a size in pixels.
func face(f *opentype.Font, px float64) font.Face {
	x, err := opentype.NewFace(f, &opentype.FaceOptions{Size: px, DPI: 72, Hinting: font.HintingFull})
	if err != nil {
		panic(err)
	}
	return x
}

func fontOf(b bool) *opentype.Font {
	if b {
		return bold
	}
	return regular
}

// width is how wide a text is, in ems.
func width(s string, b bool) float64 {
	const em = 1000
	var buf sfnt.Buffer
	var sum fixed.Int26_6
	f := fontOf(b)
	for _, r := range s {
		glyph, err := f.GlyphIndex(&buf, r)
		if err != nil {
			continue
		}
		if advance, err := f.GlyphAdvance(&buf, glyph, fixed.I(em), font.HintingNone); err == nil {
			sum += advance
		}
	}
	return float64(sum) / 64 / em
}

// lay lays a label out on w by h: as large as it fits, down to a third; what does not even fit so is cut off below, the
// warnings last.
func lay(l Label, w, h float64) layout {
	var out layout
	for scale := min(h/38, w/60); ; scale *= 0.95 {
		var fits bool
		if out, fits = try(l, w, h, scale); fits || scale < min(h/38, w/60)/3 {
			return out
		}
	}
}

// try lays it out at a scale, and reports whether it fits.
func try(l Label, w, h, scale float64) (layout, bool) {
	var out layout
	if l.URL != "" {
		if code, err := qr.Encode(l.URL, qr.M); err == nil {
			side := min(h*0.46, w*0.32)
			out.Code, out.QR = code, box{w - margin - side, h - margin - side, side, side}
		}
	}
	y, fits := margin, true
	// line writes a line, narrower where it would run into the code.
	line := func(s string, size float64, b, white bool) {
		for s != "" {
			right := w - margin
			if out.Code != nil && y+size*leading > out.QR.Y-quiet {
				right = out.QR.X - quiet
			}
			x := margin
			if white {
				x += gap
			}
			head, rest := split(s, (right-x)/size, b)
			if white {
				out.Bars = append(out.Bars, box{margin, y, right - margin, size * leading * 1.1})
			}
			out.Texts = append(out.Texts, text{x, y + size*(ascent+0.13), size, b, white, head})
			y += size * leading
			if white {
				y += size * leading * 0.1
			}
			s = rest
		}
	}
	line(l.Name, 4.6*scale, true, false)
	codeSize := min(9*scale, (w-2*margin)/width(l.Code, true))
	out.Texts = append(out.Texts, text{margin, y + codeSize*ascent, codeSize, true, false, l.Code})
	y += codeSize * 0.96
	for _, use := range l.Uses {
		line(use, 4*scale, true, l.Stop)
	}
	y += gap * 0.5
	for _, fact := range l.Facts {
		line(fact, 2.9*scale, false, false)
	}
	for _, warning := range l.Warnings {
		line(warning, 3*scale, true, false)
	}
	line(l.Foot, 2.3*scale, false, false)
	fits = y <= h-margin*0.6
	return out, fits
}

// split is as many words of a text as fit into a width of so many ems, one at least, and the others.
func split(s string, ems float64, b bool) (head, rest string) {
	words := strings.Fields(s)
	for n := len(words); n > 1; n-- {
		if head = strings.Join(words[:n], " "); width(head, b) <= ems {
			return head, strings.Join(words[n:], " ")
		}
	}
	return words[0], strings.Join(words[1:], " ")
}
