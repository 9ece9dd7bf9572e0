package interchange

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/kitchen"
)

// CertificatePDF writes the paper that a lot may be served raw as far as
// parasites go: the route or the letter it rests on, the trace, and a line to
// sign.
func CertificatePDF(card kitchen.Card, a kitchen.Actor, now time.Time) ([]byte, error) {
	s, c, profile := card.State, card.Assessment.Parasites, a.Profile()
	r, sp := s.Received, s.Species()
	title := "Parasite certificate " + r.Code
	p := newPaper(title, a)
	p.SetCreationDate(now)
	p.SetModificationDate(now)
	p.SetFont("Helvetica", "B", 22)
	p.SetTextColor(20, 35, 43)
	p.CellFormat(0, 11, p.latin(title), "", 1, "L", false, 0, "")
	p.SetFont("Helvetica", "", 11)
	p.MultiCell(0, lineH, p.latin(fmt.Sprintf("%s, %s. Rules %s. %s", a.Site.Name, p.clock(now), profile.Name,
		safety.Caution)), "", "L", false)

	p.heading("The fish")
	p.row("Lot", fmt.Sprintf("%s, %d x %s, %s", r.Code, r.Count, strings.ToLower(lot.FormName(r.Form)),
		p.mass(r.WeightKg)))
	p.row("Species", fmt.Sprintf("%s (%s)", sp.Name, sp.Scientific))
	p.row("From", card.DeliveryNote.Supplier)
	p.row("Their lot", r.SupplierLot)
	p.row("Received", p.clock(s.ReceivedAt))

	p.heading("What it rests on")
	p.route(c)
	p.row("Source", profile.Parasite.Source.String())
	for _, caution := range c.Cautions {
		p.row("Caution", caution)
	}
	p.row(rawAnswer(card))

	if lines := frozenCurves(card.Assessment, s, c); len(lines) > 0 {
		p.heading("Core temperature")
		p.trace(lines, s.CoreReadings, c)
	}

	p.corrected(s, a, card.Places)
	p.heading("Keep")
	p.SetFont("Helvetica", "", 10)
	p.MultiCell(0, lineH, p.latin(fmt.Sprintf(
		"Keep this paper and its records until %.0f days after the fish was served or sold. %s This says nothing of "+
			"bacteria, histamine or age: the lot's card does.", safety.LetterKeptFor.Hours()/24, safety.RawAdvisory)),
		"", "L", false)
	p.Ln(16)
	y := p.GetY()
	p.Line(margin, y, margin+70, y)
	p.Line(margin+90, y, margin+textWidth, y)
	p.SetFont("Helvetica", "", 9)
	p.CellFormat(90, 5, p.latin("Day"), "", 0, "L", false, 0, "")
	p.CellFormat(0, 5, p.latin("Signed, and name in capitals"), "", 1, "L", false, 0, "")

	var out bytes.Buffer
	if err := p.Output(&out); err != nil {
		return nil, fmt.Errorf("writing the certificate of %s: %w", r.Code, err)
	}
	return out.Bytes(), nil
}

// rawAnswer is whether the lot may be served raw, or may be when it has thawed, and why not.
func rawAnswer(card kitchen.Card) (label, text string) {
	label = "Raw"
	if card.State.Frozen() {
		label = "Raw after thawing"
	}
	if against := assess.AgainstRawThawed(card.Uses); len(against) > 0 {
		return label, "no: " + strings.Join(against, "; ")
	}
	return label, "yes, as of this paper"
}

// route writes the rows of a clearance.
func (p *paper) route(c assess.ParasiteClearance) {
	if l := c.Declaration; l != nil {
		p.row("Declaration on file", l.Kind.Name()+": "+l.Reference)
		p.row("Issued, valid to", l.IssuedOn.Format("2 January 2006")+", "+l.ValidTo.Format("2 January 2006"))
		return
	}
	if c.Exempt != "" {
		p.row("No freezing needed", c.Exempt)
		return
	}
	p.row("Route", c.Route.Name()+", one unbroken stretch, counted from when the core temperature was there")
	p.row("Core there", p.clock(c.Since))
	p.row("Met", p.clock(c.MetAt))
	if c.Predicted {
		p.row("Basis", fmt.Sprintf(
			"PREDICTED: the core temperature was not measured at that temperature. The heat model has it in the measured air; a "+
				"margin of %.1f h is added.", c.Margin.Hours()))
	} else {
		p.row("Basis", "the core temperature was measured; between the readings the heat model follows the measured air")
	}
	for _, b := range c.Broken {
		why := fmt.Sprintf("up to %s", p.temp(b.Celsius))
		if b.Gap {
			why = "no record"
		}
		p.row("Began again after", fmt.Sprintf("%s (%s)", p.clock(b.At), why))
	}
}

// frozenCurves are the lines of the fish from when it was frozen to when its
// route was met.
func frozenCurves(a assess.Assessment, s *lot.State, c assess.ParasiteClearance) [][]coldchain.Reading {
	if c.Since.IsZero() || len(s.FrozenStays) == 0 {
		return nil
	}
	from, to := s.FrozenStays[0].From, a.At
	if from.Before(s.ReceivedAt) {
		from = s.ReceivedAt
	}
	if !c.MetAt.IsZero() && c.MetAt.Before(to) {
		to = c.MetAt
	}
	var lines [][]coldchain.Reading
	for _, line := range a.OwnCurves {
		var part []coldchain.Reading
		for _, x := range line {
			if !x.At.Before(from) && !x.At.After(to) {
				part = append(part, x)
			}
		}
		if len(part) > 1 {
			lines = append(lines, part)
		}
	}
	return lines
}

// trace draws the core's temperature with its readings and the route's limit.
func (p *paper) trace(lines [][]coldchain.Reading, spots []coldchain.Reading, c assess.ParasiteClearance) {
	const h = 56.0
	from, to := lines[0][0].At, lines[0][0].At
	lo, hi := c.Route.HoldC-4, 5.0
	for _, line := range lines {
		for _, x := range line {
			lo, hi = math.Min(lo, x.Celsius-1), math.Max(hi, x.Celsius+1)
			if x.At.After(to) {
				to = x.At
			}
		}
	}
	left, top := margin+12, p.GetY()
	width := textWidth - 14.0
	x := func(t time.Time) float64 {
		return left + width*t.Sub(from).Seconds()/math.Max(1, to.Sub(from).Seconds())
	}
	y := func(celsius float64) float64 { return top + h*(hi-celsius)/(hi-lo) }
	p.SetFont("Helvetica", "", 8)
	p.SetLineWidth(0.1)
	p.SetDrawColor(200, 214, 220)
	for t := math.Ceil(lo/10) * 10; t <= hi; t += 10 {
		p.Line(left, y(t), left+width, y(t))
		p.Text(margin, y(t)+1, p.latin(p.temp(t)))
	}
	p.SetLineWidth(0.35)
	p.SetDrawColor(194, 59, 78)
	p.Line(left, y(c.Route.HoldC), left+width, y(c.Route.HoldC))
	p.SetDrawColor(15, 110, 120)
	p.SetLineWidth(0.4)
	for _, line := range lines {
		for i := 1; i < len(line); i++ {
			p.Line(x(line[i-1].At), y(line[i-1].Celsius), x(line[i].At), y(line[i].Celsius))
		}
	}
	p.SetFillColor(20, 35, 43)
	for _, spot := range spots {
		if !spot.At.Before(from) && !spot.At.After(to) {
			p.Circle(x(spot.At), y(spot.Celsius), 0.9, "F")
		}
	}
	p.SetLineWidth(0.2)
	p.SetDrawColor(20, 35, 43)
	p.Text(left, top+h+5, p.latin(p.clock(from)))
	end := p.latin(p.clock(to))
	p.Text(left+width-p.GetStringWidth(end), top+h+5, end)
	p.SetY(top + h + 7)
	p.SetFont("Helvetica", "", 8)
	p.CellFormat(0, 4, p.latin(fmt.Sprintf("Line: core temperature. Points: measured. Red: %s.", p.temp(c.Route.HoldC))),
		"", 1, "L", false, 0, "")
}
