package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/drawing"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
	"leancatch/internal/photo"
	"leancatch/internal/web/form"
)

// addPhoto takes a picture from a camera or a file.
func (s *Server) addPhoto(c *gin.Context) {
	lotID, ok := s.pathID(c)
	if !ok {
		return
	}
	picture, err := postedPhoto(c, "photo")
	var bad invalid.Errors
	if err != nil && !errors.As(err, &bad) {
		s.fail(c, err)
		return
	}
	f := posted(c)
	f.form, f.Bad = string(lot.KindFor[lot.Photographed]()), bad
	in := kitchen.NewPhoto{LotID: lotID, At: s.kitchen.Now(), Photo: picture, EventID: f.UUID("event_id_new"), Caption: f.Text("caption")}
	s.postEvent(c, f, func(ctx context.Context) error { return s.kitchen.AddPhoto(ctx, in) })
}

// postedPhoto reads the picture of a form. What is wrong with it is an
// invalid.Errors.
func postedPhoto(c *gin.Context, field string) (photo.Photo, error) {
	wrong := func(err error) (photo.Photo, error) {
		return photo.Photo{}, invalid.Errors{{Field: field, Message: err.Error()}}
	}
	header, err := c.FormFile(field) // kept on disk until the answer is sent
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		return wrong(photo.ErrTooLarge)
	case err != nil:
		return wrong(photo.ErrNoPicture)
	}
	file, err := header.Open()
	if err != nil {
		return photo.Photo{}, err
	}
	defer file.Close()
	p, err := photo.Prepare(file)
	if err != nil {
		return wrong(err)
	}
	return p, nil
}

// photo serves a picture of the site; ?small is its thumbnail. A picture never
// changes.
func (s *Server) photo(c *gin.Context) {
	id, err := uuid.Parse(strings.TrimSuffix(c.Param("photo"), ".jpg"))
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	data, err := s.kitchen.Photo(c.Request.Context(), id, c.Query("small") != "")
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "private, max-age=31536000, immutable")
	c.Data(http.StatusOK, "image/jpeg", data)
}

// ComplaintAnswers are what a supplier may answer.
func (cardView) ComplaintAnswers() []lot.Choice { return lot.ComplaintAnswers }

// AnswerText is such an answer in words.
func (cardView) AnswerText(p page, x lot.Settled) string {
	return p.Says(x, kitchen.Card{})
}

// complaint reads the form of a complaint.
func (f *input) complaint(s *lot.State) lot.Complaint {
	p := lot.Complaint{Number: s.Received.Code + "/" + strconv.Itoa(len(s.Complaints)+1),
		WeightKg: f.MustMass("weight_kg"), Remedy: f.Text("asks"), Note: f.Text("note")}
	p.Reasons = f.Lines("reasons")
	for _, text := range f.All("photos") {
		if id, err := uuid.Parse(text); err == nil {
			p.Photos = append(p.Photos, id)
		}
	}
	return p
}

// checked reads the form that holds a delivery against its order.
func (f *input) checked() lot.Checked {
	p := lot.Checked{Off: []lot.Trim{}, WageCents: f.actor.Site.WageCents, Note: f.Text("note"),
		PackingC: f.Celsius("packing_celsius"), Faults: f.All("packing_faults")}
	for _, t := range lot.TrimParts {
		wrong := f.Text("wrong-"+string(t)) != ""
		switch off := f.Text("trim-"+string(t)) == "off"; {
		case off && wrong:
			p.Left = append(p.Left, t)
			fallthrough
		case off:
			p.Off = append(p.Off, t)
		case wrong:
			p.Missing = append(p.Missing, t)
		}
	}
	if minutes := f.Number("rework_minutes", "min", "minutes"); minutes != nil {
		p.ReworkMinutes = *minutes
	}
	return p
}

// trimmed draws a fish with its parts on and off, as the form has it.
func (s *Server) trimmed(c *gin.Context) {
	subject, ok := drawing.ParseSubject(c.Query("figure") + "." + c.Query("form"))
	if !ok {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8",
		[]byte(drawing.Trimmed(subject.Figure, subject.Form, trims(c.Query("off")), trims(c.Query("wrong")))))
}

// trims reads a list of parts, leaving out what is none.
func trims(text string) []lot.Trim {
	var list []lot.Trim
	for _, t := range strings.Split(text, ",") {
		if slices.Contains(lot.TrimParts, lot.Trim(t)) {
			list = append(list, lot.Trim(t))
		}
	}
	return list
}

// complaintPDF writes the paper of a complaint.
func (s *Server) complaintPDF(c *gin.Context) {
	lotID, err := uuid.Parse(c.Param("id"))
	eventID, bad := uuid.Parse(strings.TrimSuffix(c.Param("event"), ".pdf"))
	if err != nil || bad != nil {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	claim, err := s.kitchen.Complaint(c.Request.Context(), lotID, eventID)
	if err != nil {
		s.fail(c, err)
		return
	}
	data, err := interchange.ComplaintPDF(claim)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.export(c, "application/pdf", "claim-"+strings.ReplaceAll(claim.Number, "/", "-")+".pdf", data)
}

// trimRow is a part of the fish on the form that checks a delivery.
type trimRow struct {
	lot.Trim
	Off, Wrong bool
}

// Trims are the parts to be checked: as ordered, or all to stay on, or as they
// were typed or checked last.
func (v cardView) Trims() []trimRow {
	var rows []trimRow
	checks := v.State.Checks
	for _, t := range lot.TrimFor(v.State.Form) {
		r := trimRow{Trim: t}
		switch {
		case v.Is("checked"):
			r.Off, r.Wrong = v.Values.Get("trim-"+string(t)) == "off", v.Values.Get("wrong-"+string(t)) != ""
		case len(checks) > 0:
			last := checks[len(checks)-1]
			r.Off, r.Wrong = slices.Contains(last.Off, t),
				slices.Contains(last.Left, t) || slices.Contains(last.Missing, t)
		case v.State.Received.Ordered != nil:
			r.Off = slices.Contains(v.State.Received.Ordered.Off, t)
		}
		rows = append(rows, r)
	}
	return rows
}

// TrimFish is the drawing of the form that checks a delivery.
func (v cardView) TrimFish() template.HTML {
	var off, wrong []lot.Trim
	for _, r := range v.Trims() {
		if r.Off {
			off = append(off, r.Trim)
		}
		if r.Wrong {
			wrong = append(wrong, r.Trim)
		}
	}
	return drawing.Trimmed(v.Species.Figure, v.State.Form, off, wrong)
}

// Faults lists what can be wrong with a packing.
func (cardView) Faults() []lot.PackingFault { return lot.PackingFaults }

// PhotoChoices are the photos that may go with a complaint.
func (v cardView) PhotoChoices() []form.Option {
	var list []form.Option
	for i, x := range v.State.Photos {
		list = append(list, form.Option{ID: x.PhotoID.String(), Name: cmp.Or(x.Caption, fmt.Sprintf("Photo %d", i+1))})
	}
	return list
}

// Remedies lists what a complaint may ask for.
func (cardView) Remedies() []lot.Remedy { return lot.Remedies }

// ComplaintReasons is what is proposed as the reasons of a complaint.
func (v cardView) ComplaintReasons() string { return strings.Join(lot.ComplaintReasons(v.State), "\n") }
