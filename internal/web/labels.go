package web

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"image/png"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/preparing"
	"leancatch/internal/core/species"
	"leancatch/internal/ipp"
	"leancatch/internal/kitchen"
	"leancatch/internal/label"
	"leancatch/internal/web/form"
)

// Bounds of what is printed at once.
const (
	mostLabelled = 60
	mostCopies   = 99
	mostLabels   = 500
)

// labelDPI is how finely a label is drawn for the screen: as most label printers print (common practice, no source).
const labelDPI = 203

// labelsView is the page on which labels are chosen, seen and printed.
type labelsView struct {
	form.Back
	Rows    []labelRow
	Media   label.Media
	First   int // the label of a sheet with which it begins, counted from 1
	Printed int
	Local   bool // the code leads to this machine alone
}

// labelRow is a lot with how many labels of it are wanted.
type labelRow struct {
	ID     uuid.UUID
	Label  label.Label
	Copies int
}

// Medias are the sizes.
func (labelsView) Medias() []form.Option {
	var list []form.Option
	for _, m := range label.Medias() {
		list = append(list, form.Option{ID: m.ID, Name: m.Name})
	}
	return list
}

// Copies names the field of how many labels of a lot are wanted.
func (labelsView) Copies(id uuid.UUID) string { return copiesField(id) }

func copiesField(id uuid.UUID) string { return "copies-" + id.String() }

// Total is how many labels are wanted.
func (v labelsView) Total() int {
	n := 0
	for _, r := range v.Rows {
		n += r.Copies
	}
	return n
}

// Wide is how wide a label is shown, in CSS pixels: large enough to be read.
func (v labelsView) Wide() int { return int(v.Media.W / 25.4 * 150) }

// Query asks for the same labels.
func (v labelsView) Query() template.URL {
	q := url.Values{"media": {v.Media.ID}, "first": {strconv.Itoa(v.First)}}
	for _, r := range v.Rows {
		q.Add("lot", r.ID.String())
		q.Set(copiesField(r.ID), strconv.Itoa(r.Copies))
	}
	return template.URL(q.Encode())
}

// all are the labels, each as often as it is wanted.
func (v labelsView) all() []label.Label {
	var list []label.Label
	for _, r := range v.Rows {
		list = append(list, slices.Repeat([]label.Label{r.Label}, r.Copies)...)
	}
	return list
}

// labelled reads which labels are wanted: the lots, how many of each, on what. Wrong ones are errors of the form.
func (s *Server) labelled(c *gin.Context, p page, f *input) (labelsView, error) {
	v := labelsView{First: 1}
	v.Media, _ = label.GetMedia(p.Actor.Site.LabelMedia)
	if id := f.Text("media"); id != "" {
		var ok bool
		if v.Media, ok = label.GetMedia(id); !ok {
			f.Bad.Add("media", "choose a size")
			v.Media = label.Medias()[0]
		}
	}
	if first := f.Whole("first"); first != nil && !v.Media.Roll() {
		if v.First = *first; v.First < 1 || v.First > v.Media.PerPage() {
			f.Bad.Add("first", "is between 1 and %d", v.Media.PerPage())
			v.First = 1
		}
	}
	for _, text := range f.All("lot") {
		id, err := uuid.Parse(text)
		if err != nil || slices.ContainsFunc(v.Rows, func(r labelRow) bool { return r.ID == id }) {
			continue
		}
		if len(v.Rows) == mostLabelled {
			f.Bad.Add("lot", "no more than %d lots at once", mostLabelled)
			break
		}
		card, err := s.kitchen.Card(c.Request.Context(), id)
		if err != nil {
			return v, err
		}
		row := labelRow{id, p.labelOf(card, s.lotURL(c, p, id)), 1}
		if n := f.Whole(copiesField(id)); n != nil {
			if row.Copies = *n; row.Copies < 0 || row.Copies > mostCopies {
				f.Bad.Add(copiesField(id), "is between 0 and %d", mostCopies)
				row.Copies = 1
			}
		}
		v.Rows = append(v.Rows, row)
	}
	if len(v.Rows) == 0 {
		return v, kitchen.ErrNotFound
	}
	if v.Total() > mostLabels {
		f.Bad.Add("lot", "no more than %d labels at once", mostLabels)
	}
	v.Local = strings.Contains(s.reachedAt(c), "//localhost") || strings.Contains(s.reachedAt(c), "//127.")
	return v, nil
}

// reachedAt is how people reach the application: as whoever starts it said, else as this request does.
func (s *Server) reachedAt(c *gin.Context) string {
	if s.opts.URL != "" {
		return s.opts.URL
	}
	scheme := "http"
	if s.opts.TLS || c.Request.TLS != nil {
		scheme = "https"
	}
	return scheme + "://" + c.Request.Host
}

// lotURL is what the code on a label holds: any phone of the kitchen opens the lot with it.
func (s *Server) lotURL(c *gin.Context, p page, id uuid.UUID) string {
	return s.reachedAt(c) + p.Base + "/lots/" + id.String()
}

// labelOf is what stands on the label of a lot.
func (p page) labelOf(card kitchen.Card, url string) label.Label {
	s, sp := card.State, card.State.Species()
	l := label.Label{Name: sp.Name + ", " + strings.ToLower(lot.FormName(s.Form)), Code: s.Received.Code, URL: url, Foot: p.Actor.Site.Name}
	switch {
	case s.Status != lot.OnHand:
		l.Uses, l.Stop = []string{"Not on hand"}, true
	case s.Hold != "":
		l.Uses, l.Stop = []string{"HOLD: do not use"}, true
	case s.Frozen():
		l.Uses = []string{"FROZEN"}
		if by := card.Assessment.Ends(); !by.IsZero() {
			l.Uses = []string{"FROZEN, use by " + by.In(p.Zone).Format("2 Jan 2006")}
		}
	case len(card.Assessment.Stops) > 0:
		l.Uses, l.Stop = []string{"Do not serve"}, true
	default:
		if l.Uses = spells(p, card.Outlook); len(l.Uses) == 0 {
			l.Uses, l.Stop = []string{"Do not serve"}, true
		}
	}
	var dates []string
	add := func(what string, at time.Time) {
		if !at.IsZero() {
			dates = append(dates, strings.ToLower(what)+" "+p.tapeDay(at))
		}
	}
	if date := s.Received.LabelDate; date.Known() {
		what, _, _ := strings.Cut(date.Means.Name(), " ")
		add(strings.Trim(what, ","), *date.At)
	}
	add("came", s.ReceivedAt)
	add("cut", s.CutAt)
	for _, stay := range s.FrozenStays {
		add("frozen", stay.From)
		add("thawed", stay.ThawedAt)
	}
	for _, step := range s.Preparations {
		m, _ := preparing.Get(step.Data.Method)
		add(m.Name, step.At)
	}
	if what, at := heatedWord(s); what != "" {
		add(what, at)
	}
	l.Facts = []string{strings.Join(dates, ", "), fmt.Sprintf("%d × %s, %s", s.Count, strings.ToLower(lot.FormName(s.Form)), p.Mass(s.WeightKg))}
	if len(s.FrozenStays) > 0 && !s.Frozen() {
		l.Warnings = append(l.Warnings, "PREVIOUSLY FROZEN")
	}
	if s.ParCooked != nil {
		l.Warnings = append(l.Warnings, "COOK THROUGH BEFORE SERVING")
	}
	l.Warnings = append(l.Warnings, "Contains "+strings.ToUpper(strings.Join(append([]string{sp.Allergen()}, s.Allergens()...), ", ")))
	if sp.Sale == species.SaleWarn {
		l.Warnings = append(l.Warnings, "Oily wax: warn the guest")
	}
	if sp.Mercury {
		l.Warnings = append(l.Warnings, "Mercury: not for everyone")
	}
	if packing, _ := s.Packing(); packing.Reduced() {
		l.Warnings = append(l.Warnings, "Keep at "+p.Temp(p.Profile.ChilledLimit(sp))+" or colder")
	}
	return l
}

// LabelsOf asks for the labels of lots; "" where there is none, or who looks may not print.
func (p page) LabelsOf(rows []kitchen.Row) template.URL {
	q := url.Values{}
	if !p.Writes() {
		return ""
	}
	for _, r := range rows {
		q.Add("lot", r.LotID.String())
	}
	return template.URL(q.Encode())
}

// labels shows the labels of lots, to be printed.
func (s *Server) labels(c *gin.Context) { s.showLabels(c, unsent(c)) }

func (s *Server) showLabels(c *gin.Context, back form.Back) {
	p := s.page(c, "Labels", "", nil)
	f := inputOf(c, back.Values)
	v, err := s.labelled(c, p, f)
	if err != nil {
		s.fail(c, err)
		return
	}
	back.Mark(f.Bad)
	v.Back = back
	v.Printed, _ = strconv.Atoi(c.Query("printed"))
	p.Data, p.InForm = v, true
	s.show(c, back.Status(), "labels", p)
}

// printLabels sends labels to the kitchen's label printer.
func (s *Server) printLabels(c *gin.Context) {
	f := posted(c)
	p := s.page(c, "Labels", "", nil)
	v, err := s.labelled(c, p, f)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		to := fmt.Sprintf("/labels?%s&printed=%d", v.Query(), v.Total())
		return to, printOn(ctx, p.Actor, v.Media, v.all())
	}, func(back form.Back) { s.showLabels(c, back) })
}

// printOn prints labels on the printer of a kitchen. Errors are on the field printer.
func printOn(ctx context.Context, a kitchen.Actor, m label.Media, labels []label.Label) error {
	because := func(text string) error { return invalid.Errors{{Field: "printer", Message: text}} }
	if a.Site.Printer == "" {
		return because("no label printer is set up")
	}
	if len(labels) == 0 {
		return because("no label is wanted")
	}
	printer, err := ipp.New(a.Site.Printer)
	if err == nil {
		err = label.Print(ctx, printer, m, labels, a.Person.Name)
	}
	if err != nil {
		return because(err.Error() + ". Nothing was printed.")
	}
	return nil
}

// labelsPDF writes labels for any printer.
func (s *Server) labelsPDF(c *gin.Context) {
	f := asked(c)
	v, err := s.labelled(c, s.page(c, "", "", nil), f)
	if err == nil {
		err = f.Err()
	}
	var data []byte
	if err == nil {
		data, err = label.PDF(v.all(), v.Media, v.First-1)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.export(c, "application/pdf", "labels.pdf", data)
}

// labelPNG draws the label of a lot as it is printed.
func (s *Server) labelPNG(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	card, err := s.kitchen.Card(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "", "", nil)
	media, ok := label.GetMedia(c.Query("media"))
	if !ok {
		media, _ = label.GetMedia(p.Actor.Site.LabelMedia)
	}
	var file bytes.Buffer
	if err := png.Encode(&file, label.Image(p.labelOf(card, s.lotURL(c, p, id)), media, labelDPI)); err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "image/png", file.Bytes())
}
