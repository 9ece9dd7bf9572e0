package drawing

import (
	"fmt"
	"html/template"
)

// Plates are those of a dish, as they stand on the pass: with fish that is reserved, with fish that is free for them, and without any.
type Plates struct {
	Label                   string
	Reserved, Free, Missing int
	PerRow                  int // 0: eighteen
}

// mostPlates is how many are drawn one by one; of more each stands for as many as it takes.
const mostPlates = 60

// Draw makes the drawing.
func (p Plates) Draw() template.HTML {
	all, each := p.Reserved+p.Free+p.Missing, 1
	for (all+each-1)/each > mostPlates {
		each++
	}
	row := p.PerRow
	if row == 0 {
		row = 18
	}
	const step, r = 22.0, 9.0
	n := (all + each - 1) / each
	rows := max(1, (n+row-1)/row)
	label := fmt.Sprintf("%s: %d reserved, %d free, %d missing", p.Label, p.Reserved, p.Free, p.Missing)
	var c canvas
	c.add(`<svg class="plates" viewBox="0 0 %v %v" role="img" aria-label="%v">`, step*float64(row), step*float64(rows), label)
	for i := range n {
		class := "plate-missing"
		switch at := i * each; {
		case at < p.Reserved:
			class = "plate-reserved"
		case at < p.Reserved+p.Free:
			class = "plate-free"
		}
		x, y := step*(float64(i%row)+0.5), step*(float64(i/row)+0.5)
		c.add(`<circle class="%v" cx="%v" cy="%v" r="%v"/>`, class, x, y, r)
		if class == "plate-reserved" {
			c.add(`<path class="plate-fish" d="M%v %v q4 -5 9 0 l3 -2.5 v5 l-3 -2.5 q-5 5 -9 0"/>`, x-6, y)
		}
	}
	c.add(`</svg>`)
	return c.html()
}
