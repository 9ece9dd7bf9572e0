package web

import (
	"context"
	"fmt"
	"html/template"
	"math"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// placesCheckView is the sheet of an opening or closing check.
type placesCheckView struct {
	kitchen.CheckSheet
	Rows  []checkRow
	Again bool // it is signed, and gone through once more
	form.Back
}

// checkRow is a place on the sheet.
type checkRow struct {
	kitchen.CheckLine
	p     page
	Other []form.Option // lots that are written down to lie elsewhere
}

// Field is the name of one of its fields.
func (r checkRow) Field(name string) string { return fmt.Sprintf("%s-%d", name, r.ID) }

// Thermometer draws what was read last, beside the limit.
func (r checkRow) Thermometer() template.HTML {
	t := drawing.Thermometer{Limit: r.LimitC(), Celsius: math.NaN()}
	if r.Latest != nil {
		t.Celsius = r.Latest.Celsius
	}
	return t.Draw()
}

// LimitC is how warm the place may be, °C.
func (r checkRow) LimitC() float64 {
	if math.IsNaN(r.Rules.WarmC) {
		return r.SetC
	}
	return r.Rules.WarmC
}

// Limit is that as the person types it, for the script.
func (r checkRow) Limit() string {
	limit := r.LimitC()
	return strings.Fields(r.p.CelsiusOr(&limit))[0]
}

// Holder stands in the empty field.
func (r checkRow) Holder(unit string) string {
	if r.Beside {
		return "by hand"
	}
	return unit
}

// Last is what was read last, and when.
func (r checkRow) Last() string {
	switch {
	case r.Latest == nil && !r.SeenAt.IsZero():
		return "ice seen · " + r.p.When(r.SeenAt)
	case r.Latest == nil:
		return "not read yet"
	}
	return r.p.Temp(r.Latest.Celsius) + " · " + r.p.When(r.Latest.At)
}

// Over reports whether it was over its limit when it was read last.
func (r checkRow) Over() bool { return r.Latest != nil && r.Latest.Celsius > r.LimitC() }

// Kg is what its lots weigh together.
func (r checkRow) Kg() float64 {
	var kg float64
	for _, l := range r.Lots {
		kg += l.WeightKg
	}
	return kg
}

// Open reports whether something is typed, or wrong, about one of its lots.
func (r checkRow) Open(v placesCheckView) bool {
	for _, l := range r.Lots {
		for _, name := range []string{"gone-", "less-"} {
			if v.Val(name+l.LotID.String()) != "" || v.Errors.On(name+l.LotID.String()) != "" {
				return true
			}
		}
	}
	return v.Val(r.Field("moved")) != ""
}

// Spark is its last day, drawn small; "" where nothing measures it.
func (r checkRow) Spark() template.HTML { return newPlaceView(r.p, r.PlaceView).Line }

// Logged reports whether an instrument measures it.
func (r checkRow) Logged() bool { return !r.Asked && r.Latest != nil }

// Kelvin is how much a degree of the person's scale is, K.
func (v placesCheckView) Kelvin() float64 {
	if len(v.Rows) > 0 && v.Rows[0].p.Actor.Temps() == unit.FahrenheitScale {
		return 5.0 / 9
	}
	return 1
}

// Missed are the checks of the last days that nobody signed.
func (v placesCheckView) Missed() []kitchen.CheckHour {
	var list []kitchen.CheckHour
	for _, h := range v.Past {
		if h.Done == nil {
			list = append(list, h)
		}
	}
	return list
}

// Warm are the places that are over their limits.
func (v placesCheckView) Warm() []checkRow {
	var list []checkRow
	for _, r := range v.Rows {
		if r.Over() && len(r.Lots) > 0 {
			list = append(list, r)
		}
	}
	return list
}

func (s *Server) placesCheck(c *gin.Context) { s.showPlacesCheck(c, form.Back{}) }

func (s *Server) showPlacesCheck(c *gin.Context, back form.Back) {
	sheet, err := s.kitchen.CheckSheet(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, sheet.Kind.Name(), "cold", nil)
	v := placesCheckView{CheckSheet: sheet, Back: back, Again: c.Query("again") != "" || c.Query("count") != "" || back.Values != nil}
	v.Counts = v.Counts || c.Query("count") != "" || back.Val("count") != ""
	p.InForm = p.Writes() && (v.Done == nil || v.Again)
	var all []form.Option
	for _, l := range sheet.Lines {
		for _, r := range l.Lots {
			all = append(all, form.Option{ID: r.LotID.String(), Name: r.Species.Name + " " + r.Code, Note: l.Name})
		}
	}
	for _, l := range sheet.Lines {
		row := checkRow{CheckLine: l, p: p}
		for _, o := range all {
			if o.Note != l.Name {
				row.Other = append(row.Other, form.Option{ID: o.ID, Name: o.Name + ", " + o.Note})
			}
		}
		v.Rows = append(v.Rows, row)
	}
	p.Data = v
	s.show(c, back.Status(), "placescheck", p)
}

// signCheck takes a check in.
func (s *Server) signCheck(c *gin.Context) {
	ctx := c.Request.Context()
	sheet, err := s.kitchen.CheckSheet(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	f := posted(c)
	p := page{Actor: f.actor}
	in := kitchen.PlacesCheck{ID: f.UUID("new_id"), Kind: kitchen.CheckKind(f.Text("kind")), At: s.kitchen.Now()}
	undo := map[uuid.UUID]uuid.UUID{}
	for _, l := range sheet.Lines {
		row := checkRow{CheckLine: l, p: p}
		line := kitchen.PlacesCheckLine{PlaceID: l.ID, Celsius: f.Celsius(row.Field("celsius")), MaximumC: f.Celsius(row.Field("maximum")),
			Ice: f.Has(row.Field("ice")), AllHere: f.Has(row.Field("here")) || f.Has("here-all")}
		if line.Celsius != nil {
			f.odd(row.Field("celsius"), *line.Celsius-row.LimitC())
		}
		in.Lines = append(in.Lines, line)
		in.Lots = append(in.Lots, f.counted(in.ID, in.At, row)...)
	}
	for _, l := range in.Lots {
		undo[l.LotID] = l.EventID
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		err := s.kitchen.CheckPlaces(ctx, in)
		if err == nil && len(undo) > 0 {
			s.offerUndo(c, "Counted", undo)
		}
		return "/cold/check", err
	}, func(back form.Back) { s.showPlacesCheck(c, back) })
}

// counted reads what a count found in a place: fish that is gone, and lots that lie there though they
// were written down elsewhere.
func (f *input) counted(check uuid.UUID, at time.Time, row checkRow) []kitchen.CountedLot {
	var list []kitchen.CountedLot
	write := func(lotID uuid.UUID, field string, p lot.Payload) {
		list = append(list, kitchen.CountedLot{Field: field, Write: kitchen.Write{LotID: lotID, HappenedAt: at, Payload: p,
			EventID: uuid.NewSHA1(check, []byte(field))}})
	}
	for _, r := range row.Lots {
		gone, less := "gone-"+r.LotID.String(), "less-"+r.LotID.String()
		switch kg := f.Mass(less); {
		case f.Has(gone):
			write(r.LotID, gone, lot.NotFound{Count: int(r.Count), WeightKg: r.WeightKg})
		case kg != nil:
			write(r.LotID, less, lot.NotFound{WeightKg: *kg})
		}
	}
	if id, err := uuid.Parse(f.Text(row.Field("moved"))); err == nil {
		write(id, row.Field("moved"), lot.Moved{PlaceID: row.ID})
	}
	return list
}
