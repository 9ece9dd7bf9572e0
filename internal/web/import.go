package web

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
)

// maxUpload bounds a logger's file that comes through the browser.
const maxUpload = 64 << 20

type importView struct {
	Preview *kitchen.Preview
	Done    *kitchen.Imported
	Places  []kitchen.PlaceView
	Lot     *kitchen.Row
	formInput
}

// At reports whether a place is where the logger lay: as chosen, else as last
// time.
func (v importView) At(place int64) bool {
	id := strconv.FormatInt(place, 10)
	switch {
	case v.Values.Get("target") != "":
		return id == v.Values.Get("target")
	case v.Values.Get("place_id") != "":
		return id == v.Values.Get("place_id")
	}
	known := v.Preview.Known
	return known != nil && known.PlaceID != nil && *known.PlaceID == place && v.Lot == nil
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
	s.showImport(c, http.StatusOK, importView{formInput: formInput{Values: c.Request.URL.Query()}})
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
	s.show(c, status, "import", s.page(c, "Import a logger file", "cold", v))
}

// importUpload keeps the file and shows what is in it.
func (s *Server) importUpload(c *gin.Context) {
	base := "/k/" + kitchen.ActorFrom(c.Request.Context()).Site.Slug
	refuse := func(status int, text string) {
		v := importView{formInput: formInput{c.Request.URL.Query(), invalid.Errors{{Field: "file", Message: text}}}}
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
		id, err := s.keepFile(c, part)
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			refuse(http.StatusRequestEntityTooLarge,
				fmt.Sprintf("the file is larger than %d MB: split it, or use leancatch import", maxUpload>>20))
			return
		} else if err != nil {
			s.fail(c, err)
			return
		}
		c.Redirect(http.StatusSeeOther, base+"/import/"+id.String()+"?"+
			url.Values{"lot": {c.Query("lot")}, "place_id": {c.Query("place_id")}}.Encode())
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
	v := importView{formInput: formInput{Values: c.Request.URL.Query()}}
	preview, err := s.kitchen.PreviewImport(c.Request.Context(), id, choices(v.Values))
	status := http.StatusOK
	if errors.As(err, &v.Errors) {
		status = http.StatusUnprocessableEntity
	} else if err != nil {
		s.fail(c, err)
		return
	}
	if v.Preview = &preview; len(preview.Layout.Columns) == 0 { // no table at all
		v.Preview = nil
	}
	s.showImport(c, status, v)
}

func (s *Server) importStore(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f := newForm(c)
	var target kitchen.Target
	if lotID, err := uuid.Parse(f.text("target")); err == nil {
		target.LotID = lotID
	} else {
		target.PlaceID = f.id("target")
	}
	v := importView{formInput: formInput{Values: c.Request.PostForm}}
	done, err := s.kitchen.StoreImport(c.Request.Context(), id, choices(c.Request.PostForm), target)
	if errors.As(err, &v.Errors) {
		preview, err := s.kitchen.PreviewImport(c.Request.Context(), id, choices(c.Request.PostForm))
		if err == nil || len(preview.Layout.Columns) > 0 {
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
