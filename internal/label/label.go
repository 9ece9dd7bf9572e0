// Package label lays out what stands on the label of a lot and draws it: for a label printer, for sheets of paper and
// for the screen. Lengths are in millimetres.
package label

import (
	"slices"
	"strings"
)

// Label is what stands on one.
type Label struct {
	Name     string   // of the fish and its form
	Code     string   // of the lot, in large letters
	Uses     []string // what it may be served as until when; "" of them for nothing
	Facts    []string // dates, pieces and weight
	Warnings []string
	Stop     bool   // it must not be used: Uses stand white on black
	Foot     string // of which kitchen it is
	URL      string // that a phone opens; "" draws no code
}

// Text is all that stands on it, for those who hear it.
func (l Label) Text() string {
	return strings.Join(slices.Concat([]string{l.Name, l.Code}, l.Uses, l.Facts, l.Warnings), ". ")
}

// Media is what labels are printed on: a roll, or a sheet with several.
type Media struct {
	ID, Name      string
	W, H          float64 // of a label
	Columns, Rows int     // of labels on a sheet; 0 for a roll
	PageW, PageH  float64 // of the sheet
	Left, Top     float64 // of its first label
	StepX, StepY  float64 // from a label to the next
}

// medias are the sizes, the usual first. Those of sheets are of common A4 label sheets (common practice, no source).
var medias = []Media{
	{ID: "roll-62x40", Name: "Roll, 62 × 40 mm", W: 62, H: 40},
	{ID: "roll-100x50", Name: "Roll, 100 × 50 mm", W: 100, H: 50},
	{ID: "roll-50x30", Name: "Roll, 50 × 30 mm", W: 50, H: 30},
	sheet("a4-21", "A4 sheet, 21 of 63.5 × 38.1 mm", 63.5, 38.1, 3, 7, 7.2, 15.1, 66, 38.1),
	sheet("a4-14", "A4 sheet, 14 of 99.1 × 38.1 mm", 99.1, 38.1, 2, 7, 4.7, 15.1, 101.6, 38.1),
	sheet("a4-24", "A4 sheet, 24 of 70 × 37 mm", 70, 37, 3, 8, 0, 0.5, 70, 37),
}

func sheet(id, name string, w, h float64, columns, rows int, left, top, stepX, stepY float64) Media {
	return Media{ID: id, Name: name, W: w, H: h, Columns: columns, Rows: rows, PageW: 210, PageH: 297, Left: left, Top: top,
		StepX: stepX, StepY: stepY}
}

// Medias lists them.
func Medias() []Media { return slices.Clone(medias) }

// GetMedia returns the size with an id; false for none.
func GetMedia(id string) (Media, bool) {
	i := slices.IndexFunc(medias, func(m Media) bool { return m.ID == id })
	if i < 0 {
		return Media{}, false
	}
	return medias[i], true
}

// Roll reports whether its labels come one after the other.
func (m Media) Roll() bool { return m.Columns == 0 }

// PerPage is how many labels a page of it holds.
func (m Media) PerPage() int { return max(1, m.Columns*m.Rows) }
