package interchange

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strconv"
	"strings"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
)

// orderName is what an order is called on its papers: the day on which it was placed, and four characters of its id.
func orderName(o kitchen.Order, zone *time.Location) string {
	id := o.ID.String()
	return fmt.Sprintf("Order %s-%s", o.PlacedAt.In(zone).Format("0102"), strings.ToUpper(id[len(id)-4:]))
}

// amount is how much of a line is ordered, in words.
func amount(l kitchen.OrderLine, mass func(float64) string) string {
	var parts []string
	if l.Count > 0 {
		parts = append(parts, fmt.Sprintf("%d pieces", l.Count))
	}
	if l.WeightKg > 0 {
		parts = append(parts, "about "+mass(l.WeightKg))
	}
	return strings.Join(parts, ", ")
}

// off is what is to come off the fish, in words; "" where all stays on.
func off(l kitchen.OrderLine) string {
	var names []string
	for _, t := range l.Off {
		names = append(names, strings.ToLower(t.Name()))
	}
	if len(names) == 0 {
		return ""
	}
	return "without " + strings.Join(names, ", ")
}

func speciesName(a kitchen.Actor, id string) species.Species {
	sp, _ := a.Site.Catalogue().Get(id)
	return sp
}

// OrderText is an order as it is read out, or pasted into a message.
func OrderText(o kitchen.Order, a kitchen.Actor) string {
	p := newPaper("", a)
	var b strings.Builder
	fmt.Fprintf(&b, "%s, %s\n", orderName(o, a.Zone()), a.Site.Name)
	if o.DeliverAt != nil {
		fmt.Fprintf(&b, "Please deliver %s\n", o.DeliverAt.In(a.Zone()).Format("Monday 2 January, about 15:04"))
	}
	for _, l := range o.Lines {
		fmt.Fprintf(&b, "- %s, %s: %s", speciesName(a, l.SpeciesID).Name, strings.ToLower(lot.FormName(l.Form)), amount(l, p.mass))
		for _, more := range []string{off(l), l.Note} {
			if more != "" {
				b.WriteString("; " + more)
			}
		}
		b.WriteString("\n")
	}
	return b.String()
}

// OrderPDF is an order as a paper for its supplier.
func OrderPDF(o kitchen.Order, a kitchen.Actor) ([]byte, error) {
	p := newPaper(orderName(o, a.Zone()), a)
	p.SetCreationDate(o.PlacedAt)
	p.SetModificationDate(o.PlacedAt)
	p.SetFont("Helvetica", "B", 22)
	p.SetTextColor(20, 35, 43)
	p.CellFormat(0, 11, p.latin(orderName(o, a.Zone())), "", 1, "L", false, 0, "")
	p.SetFont("Helvetica", "", 11)
	p.MultiCell(0, lineH, p.latin(fmt.Sprintf("From %s to %s, %s", a.Site.Name, o.Supplier, p.clock(o.PlacedAt))), "", "L", false)
	if o.CancelledAt != nil {
		p.row("Cancelled", p.clock(*o.CancelledAt))
	}
	if o.DeliverAt != nil {
		p.heading("Please deliver")
		p.row("On", o.DeliverAt.In(a.Zone()).Format("Monday 2 January 2006, about 15:04"))
	}
	p.heading("Fish")
	for i, l := range o.Lines {
		sp := speciesName(a, l.SpeciesID)
		p.row(fmt.Sprintf("%d. %s", i+1, sp.Name), strings.Join(nonEmpty(lot.FormName(l.Form), amount(l, p.mass), off(l)), ", "))
		p.row("", sp.Scientific)
		if l.Price > 0 {
			per := "a kilogram"
			if l.PriceFor != "" {
				per = l.PriceFor.Name()
			}
			p.row("Price agreed", a.Site.Money(l.Price)+" "+per)
		}
		p.row("Note", l.Note)
		p.Ln(1.5)
	}
	if cents := o.Cents(); cents > 0 {
		p.row("In all, about", a.Site.Money(int64(cents+0.5)))
	}
	p.Ln(3)
	p.SetFont("Helvetica", "", 10)
	p.MultiCell(0, lineH, p.latin("In ice, drained. Please write the date of catch or harvest, the area and the gear on the label; farmed fish with the "+
		"farm's letter."), "", "L", false)
	p.row("Ordered by", o.By)
	var out bytes.Buffer
	if err := p.Output(&out); err != nil {
		return nil, fmt.Errorf("writing the order: %w", err)
	}
	return out.Bytes(), nil
}

func nonEmpty(list ...string) (kept []string) {
	for _, text := range list {
		if text != "" {
			kept = append(kept, text)
		}
	}
	return kept
}

// OrderCSV is an order as a sheet. No cell is taken for a formula.
func OrderCSV(o kitchen.Order, a kitchen.Actor) ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	rows := [][]string{{"order", "supplier", "deliver_at", "species", "scientific_name", "form", "pieces", "kg", "price", "currency",
		"price_for", "off", "note"}}
	deliver := ""
	if o.DeliverAt != nil {
		deliver = o.DeliverAt.In(a.Zone()).Format(time.RFC3339)
	}
	for _, l := range o.Lines {
		sp := speciesName(a, l.SpeciesID)
		per := "kg"
		if l.PriceFor != "" {
			per = string(l.PriceFor)
		}
		price := ""
		if l.Price > 0 {
			price = fmt.Sprintf("%.2f", float64(l.Price)/100)
		}
		rows = append(rows, []string{orderName(o, a.Zone()), o.Supplier, deliver, sp.Name, sp.Scientific, lot.FormName(l.Form),
			strconv.Itoa(l.Count),
			strconv.FormatFloat(l.WeightKg, 'f', 2, 64), price, a.Site.Currency, per, off(l), l.Note})
	}
	for _, row := range rows {
		for i := range row {
			row[i] = plainCell(row[i])
		}
		if err := w.Write(row); err != nil {
			return nil, fmt.Errorf("writing the order: %w", err)
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

// plainCell keeps a program of sheets from taking a text for a formula.
func plainCell(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}
