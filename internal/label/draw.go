package label

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"math"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/math/fixed"
	"rsc.io/qr"
)

// Image draws a label in black and white, at so many dots an inch.
func Image(l Label, m Media, dpi int) *image.Gray {
	px := func(mm float64) int { return int(math.Round(mm / 25.4 * float64(dpi))) }
	img := image.NewGray(image.Rect(0, 0, px(m.W), px(m.H)))
	draw.Draw(img, img.Bounds(), image.White, image.Point{}, draw.Src)
	out := lay(l, m.W, m.H)
	for _, b := range out.Bars {
		draw.Draw(img, image.Rect(px(b.X), px(b.Y), px(b.X+b.W), px(b.Y+b.H)), image.Black, image.Point{}, draw.Src)
	}
	for _, t := range out.Texts {
		ink := image.Black
		if t.White {
			ink = image.White
		}
		d := font.Drawer{Dst: img, Src: ink, Face: face(fontOf(t.Bold), t.Size/25.4*float64(dpi)), Dot: fixed.P(px(t.X), px(t.Y))}
		d.DrawString(t.Text)
	}
	if out.Code != nil {
		dot := max(1, px(out.QR.W)/out.Code.Size) // whole dots: a code with uneven ones is read badly
		right, bottom := px(out.QR.X+out.QR.W), px(out.QR.Y+out.QR.H)
		modules(out.Code, func(x, y int) {
			at := image.Pt(right-(out.Code.Size-x)*dot, bottom-(out.Code.Size-y)*dot)
			draw.Draw(img, image.Rectangle{at, at.Add(image.Pt(dot, dot))}, image.Black, image.Point{}, draw.Src)
		})
	}
	for i, v := range img.Pix { // a label printer knows no grey
		img.Pix[i] = color.Gray{Y: 255 * (v / 128)}.Y
	}
	return img
}

// modules calls dark for each dark module of a code.
func modules(code *qr.Code, dark func(x, y int)) {
	for y := range code.Size {
		for x := range code.Size {
			if code.Black(x, y) {
				dark(x, y)
			}
		}
	}
}

// PDF writes labels, on a sheet from the label with a number on, counted from 0: the ones before are used up.
func PDF(labels []Label, m Media, first int) ([]byte, error) {
	size := fpdf.SizeType{Wd: m.PageW, Ht: m.PageH}
	if m.Roll() {
		size, first = fpdf.SizeType{Wd: m.W, Ht: m.H}, 0
	}
	p := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: size})
	p.SetTitle("Labels", true)
	p.SetCreator("Lean Catch", true)
	p.SetMargins(0, 0, 0)
	p.SetAutoPageBreak(false, 0)
	p.AddUTF8FontFromBytes("go", "", goregular.TTF)
	p.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	for i, l := range labels {
		n := (first + i) % m.PerPage()
		if i == 0 || n == 0 {
			p.AddPageFormat("P", size)
		}
		x, y := 0.0, 0.0
		if !m.Roll() {
			x, y = m.Left+float64(n%m.Columns)*m.StepX, m.Top+float64(n/m.Columns)*m.StepY
		}
		write(p, lay(l, m.W, m.H), x, y)
	}
	var out bytes.Buffer
	err := p.Output(&out)
	return out.Bytes(), err
}

// write puts a label onto a page.
func write(p *fpdf.Fpdf, out layout, x, y float64) {
	p.SetFillColor(0, 0, 0)
	for _, b := range out.Bars {
		p.Rect(x+b.X, y+b.Y, b.W, b.H, "F")
	}
	for _, t := range out.Texts {
		style, ink := "", 0
		if t.Bold {
			style = "B"
		}
		if t.White {
			ink = 255
		}
		p.SetTextColor(ink, ink, ink)
		p.SetFont("go", style, t.Size/25.4*72)
		p.Text(x+t.X, y+t.Y, t.Text)
	}
	if out.Code != nil {
		dot := out.QR.W / float64(out.Code.Size)
		modules(out.Code, func(i, j int) {
			p.Rect(x+out.QR.X+float64(i)*dot, y+out.QR.Y+float64(j)*dot, dot*1.01, dot*1.01, "F")
		})
	}
}
