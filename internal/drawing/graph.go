package drawing

import (
	"cmp"
	"html/template"
	"slices"
)

// Graph is boxes that follow from each other, from left to right.
type Graph struct {
	Label string
	Boxes []Box
	Links []Link
}

// Box is a box of a graph: a title and lines below it, which lead somewhere where Href says so.
type Box struct {
	Title, Href, Class string
	Lines              []string
}

// Link leads from a box to another, by their indices.
type Link struct{ From, To int }

// The sizes of a graph, in pixels.
const (
	boxWide, boxLine, boxPad = 196.0, 17.0, 8.0
	boxGap, columnGap        = 12.0, 54.0
)

func (b Box) high() float64 { return 2*boxPad + boxLine*float64(1+len(b.Lines)) }

// forward leaves out links that lead back: what was split off may be put together again with what it was split off.
func (g Graph) forward() []Link {
	var list []Link
	var leads func(from, to int) bool
	leads = func(from, to int) bool {
		return from == to || slices.ContainsFunc(list, func(l Link) bool { return l.From == from && leads(l.To, to) })
	}
	for _, l := range g.Links {
		if !leads(l.To, l.From) {
			list = append(list, l)
		}
	}
	return list
}

// columns puts each box behind all that lead to it, and orders those of a column by where these are.
func (g Graph) columns() [][]int {
	g.Links = g.forward()
	depth := make([]int, len(g.Boxes))
	for moved := true; moved; {
		moved = false
		for _, l := range g.Links {
			if depth[l.To] <= depth[l.From] {
				depth[l.To], moved = depth[l.From]+1, true
			}
		}
	}
	var columns [][]int
	for i, d := range depth {
		for len(columns) <= d {
			columns = append(columns, nil)
		}
		columns[d] = append(columns[d], i)
	}
	at := make([]float64, len(g.Boxes))
	for _, column := range columns {
		middle := map[int]float64{}
		for _, i := range column {
			sum, n := 0.0, 0.0
			for _, l := range g.Links {
				if l.To == i {
					sum, n = sum+at[l.From], n+1
				}
			}
			middle[i] = sum / max(1, n)
		}
		slices.SortStableFunc(column, func(a, b int) int { return cmp.Compare(middle[a], middle[b]) })
		for row, i := range column {
			at[i] = (float64(row) + 0.5) / float64(len(column))
		}
	}
	return columns
}

// Draw makes the drawing.
func (g Graph) Draw() template.HTML {
	g.Links = g.forward()
	columns := g.columns()
	x, y := make([]float64, len(g.Boxes)), make([]float64, len(g.Boxes))
	heights := make([]float64, len(columns))
	high := 0.0
	for n, column := range columns {
		for _, i := range column {
			heights[n] += g.Boxes[i].high() + boxGap
		}
		high = max(high, heights[n])
	}
	for n, column := range columns {
		top := (high - heights[n] + boxGap) / 2
		for _, i := range column {
			x[i], y[i] = float64(n)*(boxWide+columnGap)+1, top
			top += g.Boxes[i].high() + boxGap
		}
	}
	wide := float64(len(columns))*(boxWide+columnGap) - columnGap + 2
	var c canvas
	c.add(`<svg class="graph" viewBox="0 0 %v %v" width="%v" height="%v" role="group" aria-label="%v">`, wide, high, wide, high, g.Label)
	for _, l := range g.Links {
		x1, y1 := x[l.From]+boxWide, y[l.From]+g.Boxes[l.From].high()/2
		x2, y2 := x[l.To], y[l.To]+g.Boxes[l.To].high()/2
		bend := min(columnGap, (x2-x1)/2)
		c.add(`<path class="graph-link" d="M%v %vC%v %v %v %v %v %v"/>`, x1, y1, x1+bend, y1, x2-bend, y2, x2, y2)
	}
	for i, b := range g.Boxes {
		if b.Href != "" {
			c.add(`<a href="%v">`, b.Href)
		}
		c.add(`<rect class="graph-box %v" x="%v" y="%v" width="%v" height="%v" rx="4"/>`, b.Class, x[i], y[i], boxWide, b.high())
		c.add(`<text class="graph-title" x="%v" y="%v">%v</text>`, x[i]+10, y[i]+boxPad+13, b.Title)
		for n, line := range b.Lines {
			c.add(`<text class="graph-line" x="%v" y="%v">%v</text>`, x[i]+10, y[i]+boxPad+13+boxLine*float64(n+1), line)
		}
		if b.Href != "" {
			c.add(`</a>`)
		}
	}
	c.add(`</svg>`)
	return c.html()
}
