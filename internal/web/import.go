package web

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// maxUpload bounds a logger's file that comes through the browser.
const maxUpload = 64 << 20

type importView struct {
	Preview *kitchen.Preview
	Done    *kitchen.Imported
	Places  []kitchen.PlaceView
	Lot     *kitchen.Row
	form.Back
}

// Targets are where the logger may have lain.
func (v importView) Targets() []form.Option {
	var list []form.Option
	if v.Lot != nil {
		list = append(list, form.Option{ID: v.Lot.LotID.String(),
			Name: fmt.Sprintf("With %s %s, up to its receipt", v.Lot.Species.Name, v.Lot.Code)})
	}
	for _, p := range v.Places {
		list = append(list, form.Option{ID: strconv.FormatInt(p.ID, 10), Name: p.Name})
	}
	return list
}

// Columns are those that may be the temperatures.
func (v importView) Columns() []form.Option {
	l := v.Preview.Layout
	var list []form.Option
	for _, i := range l.TempChoices {
		list = append(list, form.Option{ID: strconv.Itoa(i), Name: l.Columns[i]})
	}
	return list
}

// Column is the one that was read; "" where that must be chosen.
func (v importView) Column() string {
	if v.Asks("temp_column") {
		return ""
	}
	return strconv.Itoa(v.Preview.Layout.TempColumn)
}

// Target is where it lay as far as the address says: with a lot, or in a place.
func (v importView) Target() string { return cmp.Or(v.Val("lot"), v.Val("place_id")) }

// Units and Orders are how temperatures and dates may be written.
func (importView) Units() []form.Option {
	return []form.Option{{ID: "C", Name: "°C"}, {ID: "F", Name: "°F"}}
}
func (importView) Orders() []form.Option {
	return []form.Option{{ID: "dmy", Name: "day first"}, {ID: "mdy", Name: "month first"}, {ID: "ymd", Name: "year first"}}
}

// Unclear says what the file does not tell.
func (v importView) Unclear() []string {
	var list []string
	for field, text := range map[string]string{"temp_column": "There are several columns that may be temperatures: choose one.",
		"unit": "The file does not tell the unit: choose.", "date_order": "The file does not tell the order of its dates: choose."} {
		if v.Asks(field) {
			list = append(list, text)
		}
	}
	slices.Sort(list)
	return list
}

// Zones are what may be typed.
func (v importView) Zones(p page) []string {
	return []string{p.Actor.Site.TimeZone, "UTC", "UTC+1", "UTC+2"}
}

// Separator names what lies between the columns.
func (v importView) Separator() string {
	return map[rune]string{';': "semicolon", ',': "comma", '\t': "tab", '|': "bar"}[v.Preview.Layout.Separator]
}

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
	s.showImport(c, importView{Back: unsent(c)})
}

func (s *Server) showImport(c *gin.Context, v importView) {
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
	p := s.page(c, "Import a logger file", "cold", v)
	p.InForm = true
	s.show(c, v.Status(), "import", p)
}

// importUpload keeps the file and shows what is in it.
func (s *Server) importUpload(c *gin.Context) {
	base := "/k/" + kitchen.ActorFrom(c.Request.Context()).Site.Slug
	refuse := func(text string) {
		s.showImport(c, importView{Back: form.Back{Values: c.Request.URL.Query(), Errors: invalid.Errors{{Field: "file", Message: text}}}})
	}
	parts, err := c.Request.MultipartReader()
	if err != nil {
		refuse("choose a file")
		return
	}
	for {
		part, err := parts.NextPart()
		if err != nil {
			refuse("choose a file")
			return
		}
		if part.FormName() != "file" || part.FileName() == "" {
			continue
		}
		id, err := s.keepFile(c, part)
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			refuse(fmt.Sprintf("the file is larger than %d MB: split it, or use leancatch import", maxUpload>>20))
			return
		} else if err != nil {
			s.fail(c, err)
			return
		}
		s.leadOn(c, base+"/import/"+id.String()+"?"+url.Values{"lot": {c.Query("lot")}, "place_id": {c.Query("place_id")}}.Encode())
		return
	}
}

// keepFile takes a file in whole, on disk, before it is given to the kitchen: however slowly it comes,
// it holds no connection to the database meanwhile.
func (s *Server) keepFile(c *gin.Context, part *multipart.Part) (id uuid.UUID, err error) {
	file, err := os.CreateTemp("", "leancatch-import-*")
	if err != nil {
		return id, err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	if _, err := io.Copy(file, part); err != nil {
		return id, err
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return id, err
	}
	return s.kitchen.KeepFile(c.Request.Context(), part.FileName(), file)
}

func choices(values url.Values) kitchen.Choices {
	c := kitchen.Choices{Zone: strings.TrimSpace(values.Get("zone")), Unit: unit.TempScale(values.Get("unit")),
		DateOrder: intake.DateOrder(values.Get("date_order"))}
	if n, err := strconv.Atoi(values.Get("temp_column")); err == nil {
		c.TempColumn = &n
	}
	if c.Unit != unit.CelsiusScale && c.Unit != unit.FahrenheitScale {
		c.Unit = ""
	}
	return c
}

func (s *Server) importPreview(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	s.previewImport(c, id, unsent(c))
}

// previewImport shows what is read of a file, by what was chosen so far.
func (s *Server) previewImport(c *gin.Context, id uuid.UUID, back form.Back) {
	v := importView{Back: back}
	preview, err := s.kitchen.PreviewImport(c.Request.Context(), id, choices(v.Values))
	var bad invalid.Errors
	if errors.As(err, &bad) {
		v.Mark(bad)
	} else if err != nil {
		s.fail(c, err)
		return
	}
	if v.Preview = &preview; len(preview.Layout.Columns) == 0 { // no table at all
		v.Preview, v.Errors = nil, bad
	}
	s.showImport(c, v)
}

func (s *Server) importStore(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f := posted(c)
	var target kitchen.Target
	if lotID, err := uuid.Parse(f.Text("target")); err == nil {
		target.LotID = lotID
	} else {
		target.PlaceID = f.ID("target")
	}
	if !f.Seen() {
		s.previewImport(c, id, f.preview())
		return
	}
	done, err := s.kitchen.StoreImport(c.Request.Context(), id, choices(f.Values), target)
	back := form.Back{Values: f.Values, Sent: true}
	if errors.As(err, &back.Errors) {
		s.previewImport(c, id, back)
	} else if err != nil {
		s.fail(c, err)
	} else {
		s.showImport(c, importView{Back: back, Done: &done})
	}
}
