package web

import (
	"context"
	"fmt"
	"html/template"
	"strconv"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/icing"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// anchor leads to a place on the page of the cold places.
func anchor(place int64) string {
	if place <= 0 {
		return ""
	}
	return fmt.Sprintf("#place-%d", place)
}

// iceBox draws a place that is a box, "" for another.
func iceBox(p page, place kitchen.PlaceView) template.HTML {
	if place.Place.Box == nil {
		return ""
	}
	box := drawing.IceBox{Wall: place.Place.Box.WallMM / place.Place.Box.LengthMM, Fish: place.LotCount}
	if place.Ice.Full > 0 {
		box.Share = place.Ice.Left(p.Now) / place.Ice.Full
	}
	return box.Draw()
}

// IceLeft is what is left in the box of a place, kg.
func (v placeView) IceLeft(p page) float64 { return v.Ice.Left(p.Now) }

// Low reports whether the box wants ice.
func (v placeView) Low(p page) bool { return !v.Ice.TopUp.IsZero() && v.Ice.TopUp.Before(p.Now) }

// Out reports whether it had ice and has none any more.
func (v placeView) Out(p page) bool { return !v.Ice.Since.IsZero() && v.Ice.Left(p.Now) <= 0 }

// BoxVal is what is so, for a field of the form of a box.
func (v placeView) BoxVal(p page, field string) string {
	b := v.Place.Box
	if b == nil {
		return ""
	}
	mm := func(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }
	switch field {
	case "length":
		return mm(b.LengthMM)
	case "width":
		return mm(b.WidthMM)
	case "height":
		return mm(b.HeightMM)
	case "wall":
		return mm(b.WallMM)
	case "conductivity":
		return mm(b.WallWMK)
	case "air":
		return mm(b.OutsideH())
	}
	return p.TempField(v.OutsideC)
}

// boxAirs are the kinds of air around a box, with their surface coefficients.
func boxAirs() []form.Option {
	return []form.Option{{ID: unit.Number(icing.StillH, 0), Name: "Still"}, {ID: unit.Number(icing.WindyH, 0), Name: "Windy, on deck"}}
}

// boxField is a field of the form of a box.
type boxField struct{ ID, Name, Unit string }

var boxFields = []boxField{{"length", "Length inside", "mm"}, {"width", "Width inside", "mm"},
	{"height", "Height inside", "mm"}, {"wall", "Wall", "mm thick"}, {"conductivity", "Wall conducts", "W/(m·K)"},
	{"outside", "Air around it", ""}}

// logIce notes ice that was put into a box, or found in it.
func (s *Server) logIce(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = "ice-" + c.Param("id")
	n := kitchen.NewIce{ID: f.UUID("new_id"), PlaceID: id, At: f.AtOr("ice_at", s.kitchen.Now()),
		Kind: icing.Kind(f.Text("kind"))}
	if n.Kind != icing.Seen {
		n.Kg = f.ice("kg")
	}
	to := "/cold" + anchor(id)
	if n.Kind == icing.Seen {
		to = fmt.Sprintf("/cold/places/%d", id)
	}
	s.postPlace(c, f, to, func(ctx context.Context) error { return s.kitchen.LogIce(ctx, n) })
}

// ice reads a mass of ice, which may be 0.
func (f *input) ice(field string) float64 {
	if !f.Has(field) {
		f.Bad.Add(field, "give a weight")
	}
	return f.MassOrNone(field)
}

// box reads the sides and walls of a box.
func (f *input) box() icing.Box {
	return icing.Box{LengthMM: f.MustNumber("length", "mm"), WidthMM: f.MustNumber("width", "mm"),
		HeightMM: f.MustNumber("height", "mm"), WallMM: f.MustNumber("wall", "mm"),
		WallWMK: f.MustNumber("conductivity", "W/(m·K)"), AirH: f.MustNumber("air", "W/(m²·K)")}
}

// setBox says what box a place is.
func (s *Server) setBox(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = "box-" + c.Param("id")
	box, outside := f.box(), f.MustCelsius("outside")
	s.postPlace(c, f, "/cold"+anchor(id), func(ctx context.Context) error { return s.kitchen.SetBox(ctx, id, box, outside) })
}
