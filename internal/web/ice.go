package web

import (
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
)

type iceView struct {
	Places []placeView
	Kinds  []string
	Open   int64  // the place whose form came back; −1 for the form of a new place
	Form   string // which of its forms
	Values url.Values
	Errors invalid.Errors
}

type placeView struct {
	kitchen.PlaceView
	Line   template.HTML
	Box    template.HTML // drawn; "" for what is no box
	Silent bool
	Warm   bool
}

// Err is what is wrong with a field of the form of a place.
func (v iceView) Err(place int64, field string) string {
	if v.Open != place {
		return ""
	}
	return v.Errors.On(field)
}

// Val is what was typed there.
func (v iceView) Val(place int64, field string) string {
	if v.Open != place {
		return ""
	}
	return v.Values.Get(field)
}

func (s *Server) ice(c *gin.Context) { s.showIce(c, http.StatusOK, iceView{}) }

func (s *Server) showIce(c *gin.Context, status int, v iceView) {
	places, err := s.kitchen.Places(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "Cold places", "ice", nil)
	v.Kinds = lot.PlaceKinds
	for _, pl := range places {
		limit := pl.SetC + 3
		if pl.Kind != "freezer" {
			limit = math.Min(limit, p.Profile.ChilledMaxC)
		}
		line := drawing.ColdLine{From: p.Now.Add(-24 * time.Hour), To: p.Now, Zone: p.Zone, Scale: p.Actor.Temps(), LimitC: limit, Limit: p.Temp(limit)}
		for _, t := range pl.Trace {
			line.Trace = append(line.Trace, drawing.TracePoint(t))
		}
		pv := placeView{PlaceView: pl, Silent: pl.Silent(p.Now), Line: line.Spark()}
		pv.Box = iceBox(p, pl)
		pv.Warm = pl.Latest != nil && pl.Kind != "dock" && pl.Latest.Celsius > limit
		v.Places = append(v.Places, pv)
	}
	p.Data = v
	s.show(c, status, "ice", p)
}

func (s *Server) addPlace(c *gin.Context) {
	f := newForm(c)
	set := f.mustCelsius("set")
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.AddPlace(c.Request.Context(), kitchen.NewPlace{Name: f.text("name"), Kind: f.text("kind"), SetC: set})
	}
	s.afterPlace(c, -1, "", err)
}

// logPlace notes the temperature of a place, taken by hand.
func (s *Server) logPlace(c *gin.Context) {
	id, _ := strconv.ParseInt(c.Param("id"), 10, 64)
	f := newForm(c)
	celsius, at := f.mustCelsius("celsius"), f.when("at", s.kitchen.Now())
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.LogPlaceTemperature(c.Request.Context(), id, celsius, at)
	}
	s.afterPlace(c, id, "temperature", err)
}

func (s *Server) afterPlace(c *gin.Context, place int64, form string, err error) {
	v := iceView{Open: place, Form: form, Values: c.Request.PostForm}
	switch {
	case err == nil:
		c.Redirect(http.StatusSeeOther, "/k/"+kitchen.ActorFrom(c.Request.Context()).Site.Slug+"/ice"+anchor(place))
	case errors.As(err, &v.Errors):
		s.showIce(c, http.StatusUnprocessableEntity, v)
	default:
		s.fail(c, err)
	}
}

// maxUpload bounds a logger's file that comes through the browser.
const maxUpload = 64 << 20

type importView struct {
	Preview *kitchen.Preview
	Done    *kitchen.Imported
	Places  []kitchen.PlaceView
	Lot     *kitchen.Row
	Values  url.Values
	Errors  invalid.Errors
}

// Val and Err serve the fields of the form.
func (v importView) Val(field string) string { return v.Values.Get(field) }
func (v importView) Err(field string) string { return v.Errors.On(field) }

// Asks reports whether a field must be answered before the file can be read.
func (v importView) Asks(field string) bool {
	if v.Preview == nil {
		return false
	}
	for _, f := range v.Preview.Layout.Unclear() {
		if f == field {
			return true
		}
	}
	return false
}

func (s *Server) importForm(c *gin.Context) {
	s.showImport(c, http.StatusOK, importView{Values: c.Request.URL.Query()})
}

func (s *Server) showImport(c *gin.Context, status int, v importView) {
	var err error
	if v.Places, err = s.kitchen.Places(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	if id, err := uuid.Parse(v.Values.Get("lot")); err == nil {
		card, err := s.kitchen.Card(c.Request.Context(), id)
		if err != nil {
			s.fail(c, err)
			return
		}
		row := kitchen.Row{Species: card.State.Species()}
		row.LotID, row.Code = id, card.State.Received.Code
		v.Lot = &row
	}
	s.show(c, status, "import", s.page(c, "Import a logger file", "ice", v))
}

// importUpload keeps the file and shows what is in it.
func (s *Server) importUpload(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxUpload)
	base := "/k/" + kitchen.ActorFrom(c.Request.Context()).Site.Slug
	refuse := func(status int, text string) {
		v := importView{Values: c.Request.URL.Query(), Errors: invalid.Errors{{Field: "file", Message: text}}}
		s.showImport(c, status, v)
	}
	parts, err := c.Request.MultipartReader()
	if err != nil {
		refuse(http.StatusUnprocessableEntity, "choose a file")
		return
	}
	for {
		part, err := parts.NextPart()
		if err != nil {
			refuse(http.StatusUnprocessableEntity, "choose a file")
			return
		}
		if part.FormName() != "file" || part.FileName() == "" {
			continue
		}
		id, err := s.kitchen.KeepFile(c.Request.Context(), part.FileName(), part)
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			refuse(http.StatusRequestEntityTooLarge, fmt.Sprintf("the file is larger than %d MB: split it, or use leancatch import", maxUpload>>20))
			return
		} else if err != nil {
			s.fail(c, err)
			return
		}
		c.Redirect(http.StatusSeeOther, base+"/import/"+id.String()+"?"+url.Values{"lot": {c.Query("lot")}, "place": {c.Query("place")}}.Encode())
		return
	}
}

func choices(values url.Values) kitchen.Choices {
	c := kitchen.Choices{Unit: unit.TempScale(values.Get("unit")), DateOrder: intake.DateOrder(values.Get("date_order"))}
	if n, err := strconv.Atoi(values.Get("temp_column")); err == nil {
		c.TempColumn = &n
	}
	if c.Unit != unit.CelsiusScale && c.Unit != unit.FahrenheitScale {
		c.Unit = ""
	}
	return c
}

func (s *Server) importPreview(c *gin.Context) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	v := importView{Values: c.Request.URL.Query()}
	preview, err := s.kitchen.PreviewImport(c.Request.Context(), id, choices(v.Values))
	if errors.As(err, &v.Errors) {
		s.showImport(c, http.StatusUnprocessableEntity, v)
		return
	} else if err != nil {
		s.fail(c, err)
		return
	}
	v.Preview = &preview
	s.showImport(c, http.StatusOK, v)
}

func (s *Server) importStore(c *gin.Context) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	f := newForm(c)
	var target kitchen.Target
	if lotID, err := uuid.Parse(f.text("target")); err == nil {
		target.LotID = lotID
	} else {
		target.PlaceID = f.id("target")
	}
	v := importView{Values: c.Request.PostForm}
	done, err := s.kitchen.StoreImport(c.Request.Context(), id, choices(c.Request.PostForm), target)
	if errors.As(err, &v.Errors) {
		preview, err := s.kitchen.PreviewImport(c.Request.Context(), id, choices(c.Request.PostForm))
		if err == nil {
			v.Preview = &preview
		}
		s.showImport(c, http.StatusUnprocessableEntity, v)
		return
	} else if err != nil {
		s.fail(c, err)
		return
	}
	v.Done = &done
	s.showImport(c, http.StatusOK, v)
}
