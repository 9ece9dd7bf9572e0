// Package interchange writes what leaves the kitchen: papers and files for
// other people and programs.
package interchange

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"time"

	"codeberg.org/go-pdf/fpdf"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/wording"
)

// Page of a paper, mm.
const (
	margin    = 18.0
	textWidth = 210 - 2*margin
	lineH     = 5.6
)

// paper is a PDF being written.
type paper struct {
	*fpdf.Fpdf
	latin func(string) string
	clock func(time.Time) string
	mass  func(float64) string
	temp  func(float64) string
}

// compress is off where a test reads the text of a paper.
var compress = true

// plain writes characters that the standard fonts lack with ones that they have.
var plain = strings.NewReplacer("−", "-", "≤ ", "at most ", "≤", "at most ", "≥ ", "at least ", "≥", "at least ", "σ",
	"sd", "\u2009", " ", "✓", "x")

// newPaper begins an upright one.
func newPaper(title string, a kitchen.Actor) *paper { return newPaperOn("P", margin, title, a) }

// newPaperOn begins one, upright or across, with margins in mm.
func newPaperOn(orientation string, margin float64, title string, a kitchen.Actor) *paper {
	p := &paper{Fpdf: fpdf.New(orientation, "mm", "A4", "")}
	translate := p.UnicodeTranslatorFromDescriptor("") // cp1252
	p.latin = func(s string) string { return translate(plain.Replace(s)) }
	p.clock = func(t time.Time) string { return t.In(a.Zone()).Format("2 January 2006 15:04") }
	p.mass, p.temp = unitsOf{a}.Mass, unitsOf{a}.Temp
	p.SetCompression(compress)
	p.SetTitle(title, true)
	p.SetCreator("Lean Catch", true)
	p.SetMargins(margin, margin, margin)
	p.SetAutoPageBreak(true, 22)
	p.AliasNbPages("")
	p.SetFooterFunc(func() {
		p.SetY(-15)
		p.SetFont("Helvetica", "", 8)
		p.SetTextColor(75, 93, 102)
		p.CellFormat(0, 5, p.latin(fmt.Sprintf("%s  ·  page %d of {nb}", title, p.PageNo())), "", 0, "C", false, 0, "")
	})
	p.AddPage()
	return p
}

func (p *paper) heading(text string) {
	p.Ln(3)
	p.SetFont("Helvetica", "B", 12)
	p.SetTextColor(15, 110, 120)
	p.CellFormat(0, 7, p.latin(text), "B", 1, "L", false, 0, "")
	p.SetTextColor(20, 35, 43)
	p.Ln(1.5)
}

// row writes a name and what belongs to it; nothing for an empty text.
func (p *paper) row(name, text string) {
	if text == "" {
		return
	}
	p.SetFont("Helvetica", "B", 10)
	p.CellFormat(44, lineH, p.latin(name), "", 0, "L", false, 0, "")
	p.SetFont("Helvetica", "", 10)
	p.MultiCell(textWidth-44, lineH, p.latin(text), "", "L", false)
}

func (p *paper) list(items []string) {
	p.SetFont("Helvetica", "", 10)
	for _, item := range items {
		p.CellFormat(5, lineH, p.latin("–"), "", 0, "L", false, 0, "")
		p.MultiCell(textWidth-5, lineH, p.latin(item), "", "L", false)
	}
}

// ComplaintPDF writes the paper of a complaint against a supplier.
func ComplaintPDF(c kitchen.Complaint) ([]byte, error) {
	r, sp := c.State.Received, c.State.Species()
	p := newPaper("Complaint "+c.Number, c.Actor)
	p.SetCreationDate(c.At)
	p.SetModificationDate(c.At)
	p.SetFont("Helvetica", "B", 22)
	p.SetTextColor(20, 35, 43)
	p.CellFormat(0, 11, p.latin("Complaint "+c.Number), "", 1, "L", false, 0, "")
	p.SetFont("Helvetica", "", 11)
	p.MultiCell(0, lineH, p.latin(fmt.Sprintf("From %s to %s, %s", c.Actor.Site.Name, c.DeliveryNote.Supplier,
		p.clock(c.At))), "", "L", false)

	p.heading("The delivery")
	p.row("Delivery note", c.DeliveryNote.Reference)
	p.row("Arrived", p.clock(c.State.ReceivedAt))
	if c.Refused != nil {
		p.row("Refused", p.clock(c.Refused.HappenedAt))
	}
	p.row("Your lot", r.SupplierLot)
	p.row("Our lot", r.Code)
	p.row("Fish", fmt.Sprintf("%s (%s), %d x %s%s", sp.Name, sp.Scientific, r.Count,
		strings.ToLower(lot.FormName(r.Form)), map[bool]string{true: ", frozen"}[r.Frozen]))
	if r.LabelDate.Known() {
		p.row("Date on the label", p.clock(*r.LabelDate.At)+" ("+strings.ToLower(r.LabelDate.Means.Name())+")")
	}

	p.heading("What is wrong")
	p.list(c.Reasons)
	p.row("Weight concerned", fmt.Sprintf("%s of %s delivered", p.mass(c.WeightKg), p.mass(r.WeightKg)))
	p.row("We ask for", lot.RemedyName(c.Remedy))
	p.row("Note", c.Note)

	p.heading("As it arrived")
	core := "not taken"
	if r.CoreC != nil {
		core = p.temp(*r.CoreC)
	}
	p.row("Core temperature", core)
	p.row("Ice", lot.IceName(r.Ice))
	if c.Read != nil {
		p.inspection(*c.Read, c)
	}
	if c.Checked != nil && c.Checked.Faulty() {
		p.check(*c.Checked, c.Actor.Site)
	}
	p.corrected(c.State, c.Actor, nil)
	if err := p.photos(c.Photos); err != nil {
		return nil, err
	}
	p.Ln(4)
	p.SetFont("Helvetica", "", 9)
	p.SetTextColor(75, 93, 102)
	p.MultiCell(0, 4.6, p.latin(fmt.Sprintf(
		"Recorded by %s at %s. Entry %s, kept in a chain of records that shows any later change.",
		c.Person, p.clock(c.At), c.Hash)), "", "L", false)
	var out bytes.Buffer
	if err := p.Output(&out); err != nil {
		return nil, fmt.Errorf("writing the complaint: %w", err)
	}
	return out.Bytes(), nil
}

// corrected lists what was corrected or cancelled in the record of a lot, with what it said first; nothing where nothing was.
func (p *paper) corrected(s *lot.State, a kitchen.Actor, places map[int64]lot.Place) {
	type line struct {
		at   time.Time
		text string
	}
	var lines []line
	for _, list := range s.Corrections {
		for _, c := range list {
			lines = append(lines, line{c.At, fmt.Sprintf("%s: %s said “%s”. Corrected: %s", p.clock(c.At), lot.KindOf(c.Was).Name(), wording.Says(unitsOf{a}, c.Was, wording.Of{Places: places}), c.Reason)})
		}
	}
	for _, v := range s.Voids {
		lines = append(lines, line{v.At, fmt.Sprintf("%s: an entry was cancelled: %s", p.clock(v.At), v.Reason)})
	}
	if len(lines) == 0 {
		return
	}
	slices.SortFunc(lines, func(a, b line) int { return a.at.Compare(b.at) })
	p.heading("Corrected since")
	for _, l := range lines {
		p.list([]string{l.text})
	}
}

func (p *paper) inspection(i lot.Inspection, c kitchen.Complaint) {
	p.heading("What was seen")
	p.row("Inspected", fmt.Sprintf("%s, %d of %d fish", p.clock(i.At), len(i.Fish), c.State.Count))
	p.row("Freshness score", fmt.Sprintf("%.1f of %d (0 is best), %s", i.Reading.Index, i.Reading.IndexMax, i.Reading.Grade))
	if i.Reading.Age != nil {
		p.row("The fish reads", i.Reading.Age.Text("days in ice"))
	}
	if scheme, ok := freshness.Get(i.Scheme); ok {
		p.list(worstSigns(scheme, i.Fish))
	}
}

// worstSigns are what was seen on the worst of the fish, sign by sign: each that is past its
// freshest level.
func worstSigns(scheme freshness.Scheme, fish []freshness.Fish) []string {
	var worst []string
	most := 0
	for _, f := range fish {
		var seen []string
		sum := 0
		for _, sign := range scheme.Signs {
			if level := f.Signs[sign.ID]; level > 0 && level < len(sign.Levels) {
				sum += level * max(sign.Weight, 1)
				seen = append(seen, sign.Name+": "+strings.ToLower(sign.Levels[level].Name))
			}
		}
		if sum > most {
			most, worst = sum, seen
		}
	}
	return worst
}

func (p *paper) check(c lot.CheckMade, site kitchen.Site) {
	p.heading("Cleaning and packing")
	names := func(list []lot.Trim) string {
		var out []string
		for _, t := range list {
			out = append(out, t.Name())
		}
		return strings.Join(out, ", ")
	}
	p.row("Ordered off, still on", names(c.Left))
	p.row("Ordered on, missing", names(c.Missing))
	var faults []string
	for _, f := range lot.PackingFaults {
		for _, id := range c.Faults {
			if id == f.ID {
				faults = append(faults, f.Name)
			}
		}
	}
	p.row("Packing", strings.Join(faults, "; "))
	if c.ReworkMinutes > 0 {
		p.row("Rework", fmt.Sprintf("%.0f minutes at %s an hour: %s", c.ReworkMinutes, site.Money(c.WageCents),
			site.Money(c.CostCents())))
	}
}

// photos lays the photos two in a row.
func (p *paper) photos(list [][]byte) error {
	if len(list) == 0 {
		return nil
	}
	p.heading("Photos")
	const gap, height = 6.0, 62.0
	width := (textWidth - gap) / 2
	for i, data := range list {
		name := fmt.Sprintf("photo-%d", i)
		info := p.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "JPEG"}, bytes.NewReader(data))
		if p.Err() {
			return fmt.Errorf("photo %d: %w", i+1, p.Error())
		}
		if i%2 == 0 && p.GetY()+height > 297-22 {
			p.AddPage()
		}
		w, h := width, width*info.Height()/info.Width()
		if h > height {
			w, h = height*info.Width()/info.Height(), height
		}
		p.ImageOptions(name, margin+float64(i%2)*(width+gap), p.GetY(), w, h, false,
			fpdf.ImageOptions{ImageType: "JPEG"}, 0, "")
		if i%2 == 1 || i == len(list)-1 {
			p.SetY(p.GetY() + height + 4)
		}
	}
	return nil
}
