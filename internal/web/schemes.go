package web

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// schemesView lists the schemes of the kitchen.
type schemesView struct {
	form.Back
	Schemes []freshness.Scheme
}

// schemeView is one scheme: read, or edited where it is the kitchen's own.
type schemeView struct {
	freshness.Scheme
	Own       bool // a house scheme, to be edited by a manager
	Species   species.Species
	Known     []kitchen.KnownLot
	Decisions []freshness.Decision
	Saved     bool
	form.Back // of the scheme, or of its line
}

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
	s.showSchemes(c, schemesView{})
}

func (s *Server) showSchemes(c *gin.Context, v schemesView) {
	own, err := s.kitchen.HouseSchemes(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Schemes = append(slices.Clone(freshness.Schemes()), own...)
	s.show(c, v.Status(), "schemes", s.page(c, "Schemes", "records", v))
}

// copyScheme begins a house scheme.
func (s *Server) copyScheme(c *gin.Context) {
	f := posted(c)
	s.post(c, f, func(ctx context.Context) (string, error) {
		id, err := s.kitchen.CopyScheme(ctx, f.Text("from"), f.Text("name"))
		return "/schemes/" + id, err
	}, func(back form.Back) { s.showSchemes(c, schemesView{Back: back}) })
}

// findScheme loads the scheme of the address, for the species asked for.
func (s *Server) findScheme(c *gin.Context) (schemeView, error) {
	v := schemeView{Decisions: freshness.Decisions, Saved: c.Query("saved") != ""}
	catalogue, known := kitchen.ActorFrom(c.Request.Context()).Site.Catalogue(), false
	if v.Species, known = catalogue.Get(c.Query("species")); !known { // of a link; else as a person types it
		v.Species, _ = catalogue.Find(c.Query("species"))
	}
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
	f := posted(c)
	f.form = "scheme"
	to, do := "/schemes", func(ctx context.Context) error { return s.kitchen.RetireScheme(ctx, v.ID) }
	if f.Text("do") != "retire" {
		edited := f.scheme(v.Scheme)
		to, do = "/schemes/"+v.ID+"?saved=1", func(ctx context.Context) error { return s.kitchen.SaveScheme(ctx, edited) }
	}
	s.postScheme(c, v, f, to, do)
}

// postScheme ends a form of the page of a scheme.
func (s *Server) postScheme(c *gin.Context, v schemeView, f *input, to string, do func(context.Context) error) {
	s.post(c, f, func(ctx context.Context) (string, error) { return to, do(ctx) }, func(back form.Back) {
		v.Back = back
		s.show(c, v.Status(), "scheme", s.page(c, v.Name, "records", v))
	})
}

// scheme reads the form over a scheme: what the form does not show stays.
func (f *input) scheme(s freshness.Scheme) freshness.Scheme {
	s.Name = f.Text("name")
	s.MinSigns = f.MustWhole("min_signs")
	s.Version = f.MustWhole("version")
	var signs []freshness.Sign
	for _, sign := range s.Signs {
		name := func(field string) string { return "sign-" + sign.ID + "-" + field }
		if !f.Values.Has(name("name")) || f.Has(name("drop")) {
			continue
		}
		sign.Name, sign.Ask, sign.Weight = f.Text(name("name")), f.Text(name("ask")), f.MustWhole(name("weight"))
		sign.Levels = slices.Clone(sign.Levels)
		for l := range sign.Levels {
			field := func(what string) string { return name(fmt.Sprintf("level-%d-%s", l, what)) }
			level := &sign.Levels[l]
			level.Name, level.Detail, level.Effect = f.Text(field("name")), f.Text(field("detail")), nil
			if d := f.Text(field("decision")); d != "" {
				level.Effect = &freshness.Effect{Decision: freshness.Decision(d), Hard: f.Text(field("hard")) != "",
					Note: f.Text(field("note"))}
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
		c.IndexAtDeath, c.RejectionShare = f.MustNumber("index_at_death"), f.MustNumber("rejection_share")
		c.SigmaFish, c.SigmaCalibration = f.MustNumber("sigma_fish"), f.MustNumber("sigma_calibration")
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
	f := posted(c)
	f.form = "line"
	codes := []string{}
	if f.Text("do") != "default" {
		if codes = f.All("lots"); len(codes) == 0 {
			codes = []string{""} // none ticked is too few, and not the default
		}
	}
	s.postScheme(c, v, f, "/schemes/"+v.ID+"?species="+v.Species.ID+"&saved=1", func(ctx context.Context) error {
		return s.kitchen.Calibrate(ctx, v.Species, v.ID, codes)
	})
}
