package web

import (
	"context"
	"errors"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
)

// form reads the fields of a posted form and collects what is wrong with them.
// What was typed stays in the request, from which the views fill the fields
// again.
type form struct {
	c      *gin.Context
	values url.Values // instead of the request's, for a form in an address
	actor  kitchen.Actor
	bad    invalid.Errors
}

// formInput is a form that came back: what was typed, and what is wrong with it.
// Views embed it.
type formInput struct {
	Values url.Values
	Errors invalid.Errors
}

// Val is what was typed into a field, Err what is wrong with it.
func (t formInput) Val(field string) string { return t.Values.Get(field) }
func (t formInput) Err(field string) string { return t.Errors.On(field) }

// suggest fills a field that is empty, or that still holds what an earlier choice
// suggested: a page keeps that in the hidden field guess-<field>.
func (t formInput) suggest(field, value string) {
	if was := t.Val(field); was == "" || was == t.Val("guess-"+field) {
		t.Values.Set(field, value)
		t.Values.Set("guess-"+field, value)
	}
}

// answer ends a posted form: it leads on, shows the form again with what is wrong
// in it, or fails.
func (s *Server) answer(c *gin.Context, err error, to string, again func(formInput)) {
	var bad invalid.Errors
	switch {
	case err == nil:
		c.Redirect(http.StatusSeeOther, s.base(c)+to)
	case s.askApproval(c, err):
	case errors.As(err, &bad):
		again(formInput{c.Request.PostForm, bad})
	default:
		s.fail(c, err)
	}
}

// cancelPaper answers the form that cancels a paper on file, by the id in the
// path, and leads back to the file.
func (s *Server) cancelPaper(off func(context.Context, uuid.UUID) error, file string) gin.HandlerFunc {
	return func(c *gin.Context) {
		id, ok := s.pathID(c)
		if !ok {
			return
		}
		if err := off(c.Request.Context(), id); err != nil {
			s.fail(c, err)
			return
		}
		c.Redirect(http.StatusSeeOther, s.base(c)+file)
	}
}

// namedFormInput is typed for a page with several forms: Form is the one that came back.
type namedFormInput struct {
	formInput
	Form string
}

// Val is what was typed into a field of a form, Err what is wrong with it; ""
// for a form that did not come back.
func (t namedFormInput) Val(form, field string) string {
	if t.Form != form {
		return ""
	}
	return t.formInput.Val(field)
}

// Err is what is wrong with a field of a form; "" for a form that did not come back.
func (t namedFormInput) Err(form, field string) string {
	if t.Form != form {
		return ""
	}
	return t.formInput.Err(field)
}

func newForm(c *gin.Context) *form {
	return &form{c: c, actor: kitchen.ActorFrom(c.Request.Context())}
}

func (f *form) text(field string) string {
	if f.values != nil {
		return strings.TrimSpace(f.values.Get(field))
	}
	return strings.TrimSpace(f.c.PostForm(field))
}

// all are the values of a field that may stand more than once.
func (f *form) all(field string) []string {
	if f.values != nil {
		return f.values[field]
	}
	f.c.PostForm(field) // parses the form
	return f.c.Request.PostForm[field]
}

// day reads a date; the zero time, with an error, where it is none.
func (f *form) day(field string) time.Time {
	t, err := time.Parse(time.DateOnly, f.text(field))
	if err != nil {
		f.bad.Add(field, "give a day")
	}
	return t
}

// celsius reads a temperature in the person's scale; nil for an empty field.
func (f *form) celsius(field string) *float64 {
	return f.read(field, unit.ParseCelsius)
}

// cooked is celsius for the core of fish that may be cooked.
func (f *form) cooked(field string) *float64 { return f.read(field, unit.ParseCookedCelsius) }

func (f *form) read(field string, parse func(string, unit.TempScale) (float64, error)) *float64 {
	if f.text(field) == "" {
		return nil
	}
	v, err := parse(f.text(field), f.actor.Temps())
	if err != nil {
		f.bad.Add(field, "%v", err)
		return nil
	}
	return &v
}

// mustCelsius is celsius for a field that must be filled.
func (f *form) mustCelsius(field string) float64 { return f.given(field, f.celsius(field)) }

// mustCooked is cooked for a field that must be filled.
func (f *form) mustCooked(field string) float64 { return f.given(field, f.cooked(field)) }

func (f *form) given(field string, v *float64) float64 {
	if v != nil {
		return *v
	}
	if f.bad.On(field) == "" {
		f.bad.Add(field, "give a temperature")
	}
	return 0
}

func (f *form) kilograms(field string) float64 {
	v, err := unit.ParseKilograms(f.text(field), f.actor.Masses())
	if err != nil {
		f.bad.Add(field, "%v", err)
	}
	return v
}

// whole reads a whole number; units are those that may stand behind it.
func (f *form) whole(field string, units ...string) int {
	v, err := readNumber(f.text(field), units)
	if err != nil || v != math.Trunc(v) || math.Abs(v) > math.MaxInt32 {
		f.bad.Add(field, "is not a whole number")
		return 0
	}
	return int(v)
}

// number reads a number of any kind, units are those that may stand behind it; nil
// for an empty field.
func (f *form) number(field string, units ...string) *float64 {
	if f.text(field) == "" {
		return nil
	}
	v, err := readNumber(f.text(field), units)
	if err != nil {
		f.bad.Add(field, "%v", err)
		return nil
	}
	return &v
}

// readNumber reads a number with or without one of some units; it returns
// unit.ErrNotNumber for any other text.
func readNumber(text string, units []string) (float64, error) {
	v, typed, err := unit.ParseQuantity(text)
	if err != nil || typed != "" && !slices.ContainsFunc(units, func(u string) bool {
		return strings.EqualFold(u, typed)
	}) {
		return 0, unit.ErrNotNumber
	}
	return v, nil
}

// mustNumber is number for a field that must be filled.
func (f *form) mustNumber(field string, units ...string) float64 {
	if v := f.number(field, units...); v != nil {
		return *v
	}
	if f.bad.On(field) == "" {
		f.bad.Add(field, "give a number")
	}
	return 0
}

// species reads a species as a person types it; one without an ID where the
// catalogue does not know it, with an error where it knows what was meant.
func (f *form) species(field string) species.Species {
	catalogue := f.actor.Site.Catalogue()
	sp, ok := catalogue.Find(f.text(field))
	if !ok {
		if near, ok := catalogue.Near(f.text(field)); ok {
			f.bad.Add(field, "is not in the catalogue; did you mean %s?", near.Name)
		}
	}
	return sp
}

// fish reads what was chosen for one fish: sign-<id> fields, explanations and
// findings. Levels that are no numbers are left out.
func (f *form) fish() freshness.Fish {
	fish := freshness.Fish{Signs: freshness.Signs{}, Findings: f.c.Request.PostForm["found"]}
	for _, id := range f.c.Request.PostForm["explain"] {
		if !slices.Contains(fish.Explanations, id) {
			fish.Explanations = append(fish.Explanations, id)
		}
	}
	for field := range f.c.Request.PostForm {
		if sign, ok := strings.CutPrefix(field, "sign-"); ok {
			if level, err := strconv.Atoi(f.text(field)); err == nil {
				fish.Signs[sign] = level
			}
		}
	}
	return fish
}

// cents reads an amount of money; 0 for an empty field.
func (f *form) cents(field string) int64 {
	if f.text(field) == "" {
		return 0
	}
	v, err := unit.ParseNumber(f.text(field))
	if err != nil || !(v >= 0 && v < 1e9) {
		f.bad.Add(field, "is not an amount")
		return 0
	}
	return int64(math.Round(100 * v))
}

func (f *form) id(field string) int64 {
	v, err := strconv.ParseInt(f.text(field), 10, 32)
	if err != nil {
		return 0
	}
	return v
}

// uuid reads an id that the page made.
func (f *form) uuid(field string) uuid.UUID {
	id, err := uuid.Parse(f.text(field))
	if err != nil {
		f.bad.Add(field, "is not an id: open the page again")
	}
	return id
}

// at reads a date and time of the site; nil for an empty field.
func (f *form) at(field string) *time.Time {
	text := f.text(field)
	if text == "" {
		return nil
	}
	for _, layout := range []string{localTime, localTime + ":05"} {
		if t, err := time.ParseInLocation(layout, text, f.actor.Zone()); err == nil {
			utc := t.UTC()
			return &utc
		}
	}
	f.bad.Add(field, "is not a date and time")
	return nil
}

// when is at, with now for an empty field.
func (f *form) when(field string, now time.Time) time.Time {
	if t := f.at(field); t != nil {
		return *t
	}
	return now
}

// pathNumber reads the number of the path; it answers 404 where there is none.
func (s *Server) pathNumber(c *gin.Context) (int64, bool) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 32)
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
	}
	return id, err == nil
}

// pathID reads the id of the path; it answers 404 where there is none.
func (s *Server) pathID(c *gin.Context) (uuid.UUID, bool) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
	}
	return id, err == nil
}
