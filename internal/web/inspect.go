package web

import (
	"errors"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
)

// inspectView is an inspection under way: what was chosen and what the scheme
// makes of it.
type inspectView struct {
	kitchen.Assessment
	Signs     []freshness.Sign
	Chosen    freshness.Signs
	Current   string // the sign that is asked for
	Seen      int
	EventID   string
	Fish      template.HTML
	Ruler     template.HTML
	Decision  string // chosen by the person; "" to follow
	Reason    string
	Decisions []freshness.Decision
	Errors    invalid.Errors
	Conflict  []kitchen.Entry
}

// Level is the level chosen for a sign, −1 for none.
func (v inspectView) Level(sign string) int {
	if l, ok := v.Chosen[sign]; ok {
		return l
	}
	return -1
}

// Err is what is wrong with a field.
func (v inspectView) Err(field string) string { return v.Errors.On(field) }

// IndexShare is the index as a share of its maximum, in thousandths.
func (v inspectView) IndexShare() float64 {
	if v.Reading == nil {
		return 0
	}
	return 1000 * v.Reading.Index / float64(v.Reading.IndexMax)
}

// GapText says what the gap means.
func (v inspectView) GapText() string {
	if v.Gap == nil {
		return ""
	}
	return freshness.GapText(*v.Gap)
}

// Gap2 is the gap, 0 where there is none.
func (v inspectView) Gap2() float64 {
	if v.Gap == nil {
		return 0
	}
	return *v.Gap
}

// inspectStep assesses what the form says so far.
func (s *Server) inspectStep(c *gin.Context) (inspectView, error) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		return inspectView{}, kitchen.ErrNotFound
	}
	f := newForm(c)
	v := inspectView{Chosen: freshness.Signs{}, EventID: f.text("event_id"), Current: f.text("current"), Decision: f.text("decision"), Reason: f.text("reason"), Decisions: freshness.Decisions}
	v.Seen, _ = strconv.Atoi(f.text("seen"))
	for field, values := range c.Request.PostForm {
		if sign, ok := strings.CutPrefix(field, "sign-"); ok && len(values) > 0 {
			if level, err := strconv.Atoi(values[0]); err == nil {
				v.Chosen[sign] = level
			}
		}
	}
	if v.Assessment, err = s.kitchen.Assess(c.Request.Context(), id, []freshness.Signs{v.Chosen}); err != nil {
		return v, err
	}
	form := v.State.Received.Form
	v.Signs = v.Scheme.SignsOn(form)
	if v.Seen == 0 {
		v.Seen = v.State.Seq
	}
	if v.EventID == "" {
		v.EventID = kitchen.NewID().String()
	}
	if _, ok := v.Scheme.Sign(v.Current); !ok {
		v.Current = v.Signs[0].ID
	}
	sign, _ := v.Scheme.Sign(v.Current)
	v.Fish = drawing.Fish(v.State.Species().Figure, v.Chosen, sign.Zone, v.done(), form == "gutted_gills_out")
	var read *freshness.Age
	if v.Reading != nil {
		read = &v.Reading.Age
	}
	v.Ruler = drawing.Ruler(v.State.Species().ShelfLife, v.Claimed, read, v.Gap)
	return v, nil
}

// done lists the zones of which every sign was chosen.
func (v inspectView) done() []string {
	var done []string
	for _, sign := range v.Signs {
		all := !slices.ContainsFunc(v.Signs, func(o freshness.Sign) bool { return o.Zone == sign.Zone && v.Level(o.ID) < 0 })
		if all && !slices.Contains(done, sign.Zone) {
			done = append(done, sign.Zone)
		}
	}
	return done
}

func (s *Server) inspectForm(c *gin.Context) {
	v, err := s.inspectStep(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.show(c, http.StatusOK, "inspect", s.page(c, "Inspect "+v.State.Received.Code, "dock", v))
}

// inspectLook renders what changes with a choice: the fish, the index, the
// ruler and the verdict.
func (s *Server) inspectLook(c *gin.Context) {
	v, err := s.inspectStep(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "Inspect", "dock", v)
	if isPart(c) {
		s.render(c, http.StatusOK, "inspect", "look", p)
		return
	}
	s.show(c, http.StatusOK, "inspect", p)
}

// inspect records the inspection.
func (s *Server) inspect(c *gin.Context) {
	v, err := s.inspectStep(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "Inspect "+v.State.Received.Code, "dock", nil)
	f := newForm(c)
	in := kitchen.Inspection{EventID: f.uuid("event_id"), LotID: v.State.ID, Seen: v.Seen, At: p.Now, Fish: []freshness.Signs{v.Chosen}, Decision: freshness.Decision(v.Decision), Reason: v.Reason}
	err = f.bad.Err()
	if err == nil {
		err = s.kitchen.Inspect(c.Request.Context(), in)
	}
	var changed *kitchen.Changed
	switch {
	case errors.As(err, &v.Errors):
	case errors.As(err, &changed):
		v.Conflict, v.Seen = changed.Events, changed.Seq
	case err != nil:
		s.fail(c, err)
		return
	default:
		c.Redirect(http.StatusSeeOther, p.Base+"/lots/"+v.State.ID.String())
		return
	}
	p.Data = v
	s.show(c, http.StatusUnprocessableEntity, "inspect", p)
}

// vignette draws the part of a fish where a sign shows, at one level. The
// address carries the version of the assets, so browsers keep it.
func (s *Server) vignette(c *gin.Context) {
	scheme, _ := freshness.Get("demerit20")
	sign, ok := scheme.Sign(c.Param("sign"))
	level, err := strconv.Atoi(strings.TrimSuffix(c.Param("level"), ".svg"))
	if !ok || err != nil || level < 0 || level > sign.Max() {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	svg := strings.Replace(string(drawing.Vignette(c.Param("figure"), sign.ID, sign.Zone, level)), "<svg ", `<svg xmlns="http://www.w3.org/2000/svg" `, 1)
	c.Header("Cache-Control", "public, max-age=31536000, immutable")
	writeCompressed(c, http.StatusOK, "image/svg+xml", []byte(svg))
}
