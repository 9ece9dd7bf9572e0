package web

import (
	"fmt"
	"html/template"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/icing"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
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

// BoxVal is a field of the form of a box: what was typed, or what is so.
func (v iceView) BoxVal(p page, place placeView, field string) string {
	if v.Open == place.ID && v.Form == "box" {
		return v.Values.Get(field)
	}
	b := place.Place.Box
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
	}
	return p.Temp(place.OutsideC)
}

// boxField is a field of the form of a box.
type boxField struct{ ID, Name, Unit string }

var boxFields = []boxField{{"length", "Length inside", "mm"}, {"width", "Width inside", "mm"},
	{"height", "Height inside", "mm"}, {"wall", "Wall", "mm thick"}, {"conductivity", "Wall conducts", "W/(m·K)"},
	{"outside", "Air around it", ""}}

// On reports whether a form of a place came back.
func (v iceView) On(place int64, form string) bool { return v.Open == place && v.Form == form }

// logIce notes ice that was put into a box, or found in it.
func (s *Server) logIce(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := newForm(c)
	n := kitchen.NewIce{ID: f.uuid("id"), PlaceID: id, At: f.when("ice_at", s.kitchen.Now()),
		Kind: icing.Kind(f.text("kind"))}
	if n.Kind != icing.Seen {
		n.Kg = f.ice("kg")
	}
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.LogIce(c.Request.Context(), n)
	}
	if err == nil && n.Kind == icing.Seen {
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("%s/cold/places/%d", s.base(c), id))
		return
	}
	s.afterPlace(c, id, "ice", err)
}

// ice reads a mass of ice, which may be 0.
func (f *form) ice(field string) float64 {
	if f.text(field) == "0" {
		return 0
	}
	return f.kilograms(field)
}

// box reads the sides and walls of a box.
func (f *form) box() icing.Box {
	return icing.Box{LengthMM: f.mustNumber("length", "mm"), WidthMM: f.mustNumber("width", "mm"),
		HeightMM: f.mustNumber("height", "mm"), WallMM: f.mustNumber("wall", "mm"),
		WallWMK: f.mustNumber("conductivity", "W/(m·K)")}
}

// setBox says what box a place is.
func (s *Server) setBox(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := newForm(c)
	box, outside := f.box(), f.mustCelsius("outside")
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.SetBox(c.Request.Context(), id, box, outside)
	}
	s.afterPlace(c, id, "box", err)
}
