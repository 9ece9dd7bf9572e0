package interchange

import (
	"context"
	"fmt"
	"io"
	"iter"
	"math"
	"slices"
	"strconv"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/safety"
	"leancatch/internal/kitchen"
)

// Measures of the pack's pages, across, mm.
const (
	packMargin = 12.0
	packWidth  = 297 - 2*packMargin
	packBottom = 210 - 18.0
	cellLine   = 3.4 // height of a line of a table
	cellPad    = 0.8
	cellFont   = 7.2 // points
	mostLines  = 14  // of a cell: the workbook has the rest

	wideOnPaper = 25.0 // width of a wide column, where a usual one has usualWidth
)

// sheetsOnly are the tables that the workbook has and the paper leaves out, by id: too long to be read on it.
var sheetsOnly = []string{"history", "temperatures"}

// pack is the paper of a span, being written.
type pack struct {
	*paper
	zone     *time.Location
	contents []packEntry
}

// packEntry is a line of the contents.
type packEntry struct {
	title string
	link  int
	alias string // that stands for its page until that is known
}

// WritePack writes the records of a span as one paper: contents, what is missing, then a table for each kind of record, the ends of the
// chains last.
func WritePack(ctx context.Context, w io.Writer, k *kitchen.Kitchen, span coldchain.Span, progress func(Progress)) error {
	a := kitchen.ActorFrom(ctx)
	tables := []Table{missingTable(ctx, k, span)}
	for _, t := range Tables(ctx, k, span) {
		if !slices.Contains(sheetsOnly, t.ID) {
			tables = append(tables, t)
		}
	}
	tables = Watched(tables, progress)
	p := &pack{paper: newPaperOn("L", packMargin, a.Site.Name+": records", a), zone: a.Zone()}
	p.SetAutoPageBreak(false, 0)
	p.SetCreationDate(k.Now())
	p.SetModificationDate(k.Now())
	p.cover(a, k.Now(), span, tables)
	for i, t := range tables {
		p.section(i)
		if t.ID == "days" {
			if err := p.charts(k.PlaceDays(ctx, span)); err != nil {
				return err
			}
		}
		if err := p.table(t); err != nil {
			return fmt.Errorf("the pack, %s: %w", t.Title, err)
		}
	}
	if err := p.Output(w); err != nil {
		return fmt.Errorf("writing the pack: %w", err)
	}
	return nil
}

// missingTable is what is missing in the records, with the way to mend it.
func missingTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	return Table{ID: "missing", Title: "What is missing", Columns: columns("When", "Of*", "What*", "How it is mended*"),
		Rows: lateRows(func() ([]kitchen.Missing, error) { return k.Missing(ctx, span) }, func(m kitchen.Missing) [][]any {
			return [][]any{{m.At, m.Of, m.What, m.Mend}}
		})}
}

// cover is the first page: of whom and when, under which rules, and the contents. Their pages are filled in when the paper is written out.
func (p *pack) cover(a kitchen.Actor, now time.Time, span coldchain.Span, tables []Table) {
	p.SetTextColor(20, 35, 43)
	p.SetFont("Helvetica", "B", 24)
	p.CellFormat(0, 14, p.latin(a.Site.Name), "", 1, "L", false, 0, "")
	p.SetFont("Helvetica", "", 12)
	last := span.To.In(p.zone).AddDate(0, 0, -1)
	p.MultiCell(0, 6, p.latin(fmt.Sprintf("Records from %s to %s. Made %s by %s. Rules %s (%s). %s",
		span.From.In(p.zone).Format("2 January 2006"),
		last.Format("2 January 2006"), p.clock(now), a.Person.Name, a.Profile().Name, a.Profile().Source, safety.Caution)), "", "L", false)
	p.Ln(4)
	p.SetFont("Helvetica", "B", 13)
	p.CellFormat(0, 9, "Contents", "B", 1, "L", false, 0, "")
	p.SetFont("Helvetica", "", 11)
	for i, t := range tables {
		e := packEntry{title: t.Title, link: p.AddLink(), alias: fmt.Sprintf("{page%02d}", i)}
		p.CellFormat(120, 6.2, p.latin(e.title), "", 0, "L", false, e.link, "")
		p.CellFormat(0, 6.2, e.alias, "", 1, "L", false, e.link, "")
		p.contents = append(p.contents, e)
	}
	p.Ln(3)
	p.SetFont("Helvetica", "", 9)
	p.MultiCell(0, 4.6, p.latin("Corrections stand in a part of their own, with what was written first. The hours of every probe and the whole of every "+
		"entry are in the workbook of the same days. The last part proves that nothing was taken out or changed since: each end of a chain is the SHA-256 "+
		"of its last entry, which holds that of the one before."), "", "L", false)
}

// section begins one on a page of its own.
func (p *pack) section(i int) {
	e := p.contents[i]
	p.AddPage()
	p.SetLink(e.link, 0, -1)
	p.Bookmark(p.latin(e.title), 0, -1)
	p.RegisterAlias(e.alias, strconv.Itoa(p.PageNo()))
	p.title(e.title)
}

func (p *pack) title(text string) {
	p.SetFont("Helvetica", "B", 14)
	p.SetTextColor(15, 110, 120)
	p.CellFormat(0, 9, p.latin(text), "", 1, "L", false, 0, "")
	p.SetTextColor(20, 35, 43)
}

// table writes one, its heading again on each page.
func (p *pack) table(t Table) error {
	var shown []int
	var widths []float64
	sum := 0.0
	for i, c := range t.Columns {
		if c.NotOnPaper {
			continue
		}
		wide := usualWidth
		if c.Wide > 0 {
			wide = wideOnPaper
		}
		shown, widths, sum = append(shown, i), append(widths, wide), sum+wide
	}
	for i := range widths {
		widths[i] *= math.Min(packWidth/sum, packWidth/120) // a narrow table is not stretched over all the page
	}
	heading := func() {
		p.SetFont("Helvetica", "B", cellFont)
		names := make([]any, len(shown))
		for i, c := range shown {
			names[i] = t.Columns[c].Name
		}
		p.cells(names, widths)
		p.SetFont("Helvetica", "", cellFont)
	}
	heading()
	n := 0
	for row, err := range t.Rows {
		if err != nil {
			return err
		}
		cells := make([]any, len(shown))
		for i, c := range shown {
			cells[i] = row[c]
		}
		if p.GetY()+p.height(cells, widths) > packBottom {
			p.AddPage()
			p.title(t.Title)
			heading()
		}
		p.cells(cells, widths)
		n++
	}
	if n == 0 {
		p.SetFont("Helvetica", "", 10)
		p.CellFormat(0, 8, "None in these days.", "", 1, "L", false, 0, "")
	}
	return nil
}

// lines are those of a cell.
func (p *pack) lines(cell any, width float64) []string {
	text := p.latin(p.text(cell))
	if text == "" {
		return nil
	}
	var lines []string
	for _, l := range p.SplitLines([]byte(text), width) {
		if len(lines) == mostLines {
			lines[mostLines-1] += " ..."
			break
		}
		lines = append(lines, string(l))
	}
	return lines
}

func (p *pack) height(cells []any, widths []float64) float64 {
	most := 1
	for i, cell := range cells {
		most = max(most, len(p.lines(cell, widths[i])))
	}
	return float64(most)*cellLine + 2*cellPad
}

// cells writes a row, numbers to the right.
func (p *pack) cells(cells []any, widths []float64) {
	x, y, high := packMargin, p.GetY(), p.height(cells, widths)
	for i, cell := range cells {
		align := "L"
		switch cell.(type) {
		case float64, int:
			align = "R"
		}
		for n, line := range p.lines(cell, widths[i]) {
			p.SetXY(x, y+cellPad+float64(n)*cellLine)
			p.CellFormat(widths[i], cellLine, line, "", 0, align, false, 0, "")
		}
		x += widths[i]
	}
	p.SetDrawColor(200, 214, 220)
	p.SetLineWidth(0.15)
	p.Line(packMargin, y+high, x, y+high)
	p.SetXY(packMargin, y+high)
}

// text is a cell as people read it.
func (p *pack) text(cell any) string {
	switch v := cell.(type) {
	case nil:
		return ""
	case string:
		return v
	case float64:
		return strconv.FormatFloat(math.Round(100*v)/100, 'f', -1, 64)
	case int:
		return strconv.Itoa(v)
	case bool:
		return map[bool]string{true: "yes"}[v]
	case time.Time:
		return v.In(p.zone).Format("2 Jan 2006 15:04")
	case Day:
		return time.Time(v).Format("2 Jan 2006")
	}
	panic(fmt.Sprintf("a cell is a %T", cell))
}

// charts draw each place over the days: from the lowest to the highest of each day, and the limit.
func (p *pack) charts(days iter.Seq2[kitchen.PlaceDay, error]) error {
	var of []kitchen.PlaceDay
	for d, err := range days {
		if err != nil {
			return err
		}
		if len(of) > 0 && of[0].Place.ID != d.Place.ID {
			p.chart(of)
			of = nil
		}
		of = append(of, d)
	}
	if len(of) > 0 {
		p.chart(of)
	}
	p.Ln(4)
	return nil
}

// chartHigh is the height of a chart with its name, mm.
const chartHigh = 30.0

func (p *pack) chart(days []kitchen.PlaceDay) {
	lo, hi := days[0].LimitC, days[0].LimitC
	for _, d := range days {
		if !math.IsNaN(d.MinC) {
			lo, hi = least(lo, d.MinC), most(hi, d.MaxC)
		}
	}
	if !slices.ContainsFunc(days, func(d kitchen.PlaceDay) bool { return !math.IsNaN(d.MinC) }) {
		p.SetFont("Helvetica", "", 9)
		p.CellFormat(0, 6, p.latin(days[0].Place.Name+": nothing was measured in these days."), "", 1, "L", false, 0, "")
		return
	}
	if p.GetY()+chartHigh > packBottom {
		p.AddPage()
	}
	lo, hi = math.Floor(lo)-0.5, math.Ceil(hi)+0.5
	left, top, wide, high := packMargin+14, p.GetY()+6, packWidth-14, chartHigh-13
	y := func(c float64) float64 { return top + high*(hi-c)/(hi-lo) }
	step := wide / float64(len(days))
	p.SetFont("Helvetica", "B", 9)
	p.CellFormat(0, 5, p.latin(days[0].Place.Name), "", 1, "L", false, 0, "")
	p.SetFont("Helvetica", "", 7)
	p.SetLineWidth(0.1)
	p.SetDrawColor(200, 214, 220)
	for _, c := range []float64{lo + 0.5, hi - 0.5} {
		p.Line(left, y(c), left+wide, y(c))
		p.Text(packMargin, y(c)+1, p.latin(p.temp(c)))
	}
	for i, d := range days {
		x := left + step*float64(i)
		if math.IsNaN(d.MinC) {
			p.SetFillColor(226, 230, 232) // nothing is known of it
			p.Rect(x+step*0.1, top, step*0.8, high, "F")
			continue
		}
		bar := func(from, to float64) { p.Rect(x+step*0.25, y(to), step*0.5, math.Max(0.3, y(from)-y(to)), "F") }
		p.SetFillColor(47, 110, 115)
		bar(d.MinC, least(d.MaxC, math.Max(d.MinC, d.LimitC)))
		if d.MaxC > d.LimitC {
			p.SetFillColor(194, 59, 78)
			bar(math.Max(d.MinC, d.LimitC), d.MaxC)
		}
	}
	if limit := days[0].LimitC; !math.IsNaN(limit) {
		p.SetDrawColor(194, 59, 78)
		p.SetLineWidth(0.3)
		p.Line(left, y(limit), left+wide, y(limit))
	}
	p.Text(left, top+high+3.5, days[0].Day.Format("2 Jan"))
	end := days[len(days)-1].Day.Format("2 Jan")
	p.Text(left+wide-p.GetStringWidth(end), top+high+3.5, end)
	p.SetY(top + high + 6)
}

// least and most are those of two numbers of which one may not be known.
func least(a, b float64) float64 {
	if math.IsNaN(a) {
		return b
	}
	return math.Min(a, b)
}

func most(a, b float64) float64 { return -least(-a, -b) }
