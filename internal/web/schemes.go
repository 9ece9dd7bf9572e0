package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
)

// schemesView lists the schemes of the kitchen.
type schemesView struct {
	formInput
	Schemes []freshness.Scheme
}

// schemeView is one scheme: read, or edited where it is the kitchen's own.
type schemeView struct {
	freshness.Scheme
	Own       bool // a house scheme, to be edited by a manager
	Species   species.Species
	Known     []kitchen.KnownLot
	Decisions []freshness.Decision
	Errors    invalid.Errors
	Saved     bool
}

// Err is what is wrong with a field.
func (v schemeView) Err(field string) string { return v.Errors.On(field) }

// Decision is what a level does to the verdict, "" for nothing.
func (schemeView) Decision(l freshness.Level) freshness.Decision {
	if l.Effect == nil {
		return ""
	}
	return l.Effect.Decision
}

// Hard reports whether a level is a hard stop.
func (schemeView) Hard(l freshness.Level) bool { return l.Effect != nil && l.Effect.Hard }

// Note is what a level adds to the verdict.
func (schemeView) Note(l freshness.Level) string {
	if l.Effect == nil {
		return ""
	}
	return l.Effect.Note
}

// Weight is the weight of a sign.
func (schemeView) Weight(s freshness.Sign) int { return max(s.Weight, 1) }

func (s *Server) schemes(c *gin.Context) {
	s.showSchemes(c, http.StatusOK, schemesView{formInput: formInput{Values: url.Values{}}})
}

func (s *Server) showSchemes(c *gin.Context, status int, v schemesView) {
	own, err := s.kitchen.HouseSchemes(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Schemes = append(slices.Clone(freshness.Schemes()), own...)
	s.show(c, status, "schemes", s.page(c, "Schemes", "records", v))
}

// copyScheme begins a house scheme.
func (s *Server) copyScheme(c *gin.Context) {
	f := newForm(c)
	id, err := s.kitchen.CopyScheme(c.Request.Context(), f.text("from"), f.text("name"))
	v := schemesView{formInput: formInput{Values: c.Request.PostForm}}
	switch {
	case errors.As(err, &v.Errors):
		s.showSchemes(c, http.StatusUnprocessableEntity, v)
	case err != nil:
		s.fail(c, err)
	default:
		c.Redirect(http.StatusSeeOther, s.base(c)+"/schemes/"+id)
	}
}

// findScheme loads the scheme of the address, for the species asked for.
func (s *Server) findScheme(c *gin.Context) (schemeView, error) {
	v := schemeView{Decisions: freshness.Decisions, Saved: c.Query("saved") != ""}
	v.Species, _ = kitchen.ActorFrom(c.Request.Context()).Site.Catalogue().Find(c.Query("species"))
	schemes, err := s.kitchen.Schemes(c.Request.Context(), v.Species)
	if err != nil {
		return v, err
	}
	i := slices.IndexFunc(schemes, func(x freshness.Scheme) bool { return x.ID == c.Param("scheme") })
	if i < 0 {
		return v, kitchen.ErrNotFound
	}
	v.Scheme = schemes[i]
	_, builtIn := freshness.Get(v.ID)
	v.Own = !builtIn && kitchen.ActorFrom(c.Request.Context()).IsManager()
	if v.Species.ID != "" && v.Calibration != nil {
		v.Known, err = s.kitchen.KnownLots(c.Request.Context(), v.Species, v.ID)
	}
	return v, err
}

func (s *Server) scheme(c *gin.Context) {
	v, err := s.findScheme(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.show(c, http.StatusOK, "scheme", s.page(c, v.Name, "records", v))
}

// saveScheme keeps an edited house scheme as its next version.
func (s *Server) saveScheme(c *gin.Context) {
	v, err := s.findScheme(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	f := newForm(c)
	if f.text("do") == "retire" {
		err = s.kitchen.RetireScheme(c.Request.Context(), v.ID)
	} else {
		v.Scheme = f.scheme(v.Scheme)
		if err = f.bad.Err(); err == nil {
			err = s.kitchen.SaveScheme(c.Request.Context(), v.Scheme)
		}
	}
	switch {
	case errors.As(err, &v.Errors):
		s.show(c, http.StatusUnprocessableEntity, "scheme", s.page(c, v.Name, "records", v))
	case err != nil:
		s.fail(c, err)
	case f.text("do") == "retire":
		c.Redirect(http.StatusSeeOther, s.base(c)+"/schemes")
	default:
		c.Redirect(http.StatusSeeOther, s.base(c)+"/schemes/"+v.ID+"?saved=1")
	}
}

// scheme reads the form over a scheme: what the form does not show stays.
func (f *form) scheme(s freshness.Scheme) freshness.Scheme {
	s.Name = f.text("name")
	s.MinSigns = f.whole("min_signs")
	s.Version = f.whole("version")
	var signs []freshness.Sign
	for _, sign := range s.Signs {
		name := func(field string) string { return "sign-" + sign.ID + "-" + field }
		if _, shown := f.c.GetPostForm(name("name")); !shown || f.text(name("drop")) != "" {
			continue
		}
		sign.Name, sign.Ask, sign.Weight = f.text(name("name")), f.text(name("ask")), f.whole(name("weight"))
		sign.Levels = slices.Clone(sign.Levels)
		for l := range sign.Levels {
			field := func(what string) string { return name(fmt.Sprintf("level-%d-%s", l, what)) }
			level := &sign.Levels[l]
			level.Name, level.Detail, level.Effect = f.text(field("name")), f.text(field("detail")), nil
			if d := f.text(field("decision")); d != "" {
				level.Effect = &freshness.Effect{Decision: freshness.Decision(d), Hard: f.text(field("hard")) != "",
					Note: f.text(field("note"))}
				if level.Effect.Note == "" {
					level.Effect.Note = strings.ToLower(sign.Name + ": " + level.Name)
				}
			}
		}
		signs = append(signs, sign)
	}
	s.Signs = signs
	if s.Calibration != nil {
		c := *s.Calibration
		c.IndexAtDeath, c.RejectionShare = f.mustNumber("index_at_death"), f.mustNumber("rejection_share")
		c.SigmaFish, c.SigmaCalibration = f.mustNumber("sigma_fish"), f.mustNumber("sigma_calibration")
		s.Calibration = &c
	}
	return s
}

// calibrate fits a scheme's line for a species to the lots ticked, or goes back
// to the default.
func (s *Server) calibrate(c *gin.Context) {
	v, err := s.findScheme(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	f := newForm(c)
	codes := []string{}
	if f.text("do") != "default" {
		if codes = c.Request.PostForm["lots"]; len(codes) == 0 {
			codes = []string{""} // none ticked is too few, and not the default
		}
	}
	err = s.kitchen.Calibrate(c.Request.Context(), v.Species, v.ID, codes)
	switch {
	case errors.As(err, &v.Errors):
		s.show(c, http.StatusUnprocessableEntity, "scheme", s.page(c, v.Name, "records", v))
	case err != nil:
		s.fail(c, err)
	default:
		c.Redirect(http.StatusSeeOther, s.base(c)+"/schemes/"+v.ID+"?species="+v.Species.ID+"&saved=1")
	}
}
