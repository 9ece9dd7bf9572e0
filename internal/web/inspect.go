package web

import (
	"context"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// inspectView is an inspection under way: what was chosen and what the scheme
// makes of it.
type inspectView struct {
	kitchen.InspectionPreview
	Signs   []freshness.Sign
	Subject drawing.Subject
	Fish    []freshness.Fish // seen so far; the one at hand is Fish[At]
	Quick   []freshness.Fish // the sample that was looked at quickly before, by another scheme
	At      int
	Sample  int    // how many are to be inspected
	Current string // the sign that is asked for
	Dots    []dot  // the fish of a box along the index
	Drawn   template.HTML
	Ruler   template.HTML
	form.Back
}

// Chosen is what was seen on the fish at hand.
func (v inspectView) Chosen() freshness.Fish { return v.Fish[v.At] }

// count is how many there are to look at; other seafood is looked at as one.
func (v inspectView) count() int {
	if !v.State.Species().Fish() {
		return 1
	}
	return v.State.Count
}

// sample is how many fish are to be inspected.
func (v inspectView) sample() int {
	switch {
	case v.Verdict.OpenAll:
		return v.count()
	case len(v.Quick) == 0:
		return freshness.SampleSize(v.count())
	case v.QuickScheme.WorstOf(v.Quick) >= 0:
		return 2
	}
	return 1
}

// sampledFrom is above how many fish a box is begun with a quick look at its sample.
const sampledFrom = 3

// quickFits reports whether the fish may be looked at quickly.
func (v inspectView) quickFits() bool {
	return slices.ContainsFunc(v.Schemes, func(s freshness.Scheme) bool { return s.Method == "quick" })
}

// allGood gives the fish at hand the best level of each sign, and takes up the next one of the sample.
// It reports whether it did.
func (v *inspectView) allGood() bool {
	if !v.OneTap() {
		return false
	}
	good := freshness.Fish{Signs: freshness.Signs{}}
	for _, sign := range v.Scheme.SignsOn(v.State.Received.Form) {
		good.Signs[sign.ID] = 0
	}
	v.Fish[v.At] = good
	if len(v.Fish) < freshness.SampleSize(v.count()) {
		v.Fish = append(v.Fish, freshness.Fish{Signs: freshness.Signs{}})
		v.At = len(v.Fish) - 1
	}
	v.Current = ""
	return true
}

// BeginsZone reports whether a sign is the first of its zone, to which that leads on the drawn fish: people ask for signs
// in an order of their own.
func (v inspectView) BeginsZone(n int) bool {
	return !slices.ContainsFunc(v.Signs[:n], func(s freshness.Sign) bool { return s.Zone == v.Signs[n].Zone })
}

// OneTap reports whether a fish that is good all over takes one tap.
func (v inspectView) OneTap() bool { return v.Scheme.Method == "quick" }

// Sampled reports whether the whole sample was looked at quickly, so that one of it is gone through sign
// by sign.
func (v inspectView) Sampled() bool {
	return v.OneTap() && len(v.filled()) >= min(v.Sample, v.count()) && v.count() > 1 && slices.ContainsFunc(v.Schemes,
		func(s freshness.Scheme) bool { return s.Calibration != nil && s.Method != "quick" })
}

// Taking says which fish of the sample is to be gone through sign by sign; "" without one.
func (v inspectView) Taking() string {
	switch {
	case len(v.Quick) == 0:
		return ""
	case v.At == 0:
		return "one of the sample, taken without looking: it reads the age"
	}
	return fmt.Sprintf("fish %d of the quick look, the worst: it decides", v.QuickScheme.WorstOf(v.Quick)+1)
}

// QuickJSON is the quick look at the sample, for the form.
func (v inspectView) QuickJSON() string {
	text, _ := json.Marshal(v.Quick) // whole numbers and strings always marshal
	return string(text)
}

// Unseen are the signs of the fish at hand that nobody looked at, by name.
func (v inspectView) Unseen() []string {
	var names []string
	for _, sign := range v.Signs {
		if slices.ContainsFunc(v.filled(), func(f freshness.Fish) bool { _, seen := f.Signs[sign.ID]; return !seen }) {
			names = append(names, strings.ToLower(sign.Name))
		}
	}
	return names
}

// Level is the level chosen for a sign of the fish at hand, −1 for none.
func (v inspectView) Level(sign string) int {
	if l, ok := v.Chosen().Signs[sign]; ok {
		return l
	}
	return -1
}

// Ideas lists what else the signs chosen on the fish at hand could mean.
func (v inspectView) Ideas() []freshness.Explanation {
	var ideas []freshness.Explanation
	for _, sign := range v.Signs {
		level := v.Level(sign.ID)
		if level < 0 || sign.Levels[level].Effect != nil && sign.Levels[level].Effect.Hard {
			continue
		}
		for _, e := range freshness.ExplanationsFor(sign.ID, level, v.State.Species()) {
			if !slices.ContainsFunc(ideas, func(o freshness.Explanation) bool { return o.ID == e.ID }) {
				ideas = append(ideas, e)
			}
		}
	}
	return ideas
}

// Explained reports whether the explanation is given for the fish at hand.
func (v inspectView) Explained(id string) bool {
	return slices.Contains(v.Chosen().Explanations, id)
}

// Findings lists what may be found on the fish beside what stands elsewhere: scales that come off say
// nothing of a species that sheds them when fresh, and whether it is another one is asked by its marks.
func (v inspectView) Findings() []freshness.Finding {
	sheds := v.State.Species().LooseScales
	return slices.DeleteFunc(slices.Clone(freshness.Findings()), func(f freshness.Finding) bool {
		return f.ID == freshness.OtherSpecies || f.ID == "scales_off" && sheds
	})
}

// Species is what the papers say that it is.
func (v inspectView) Species() species.Species { return v.State.Species() }

// OtherSpecies is the finding that it is another one.
func (inspectView) OtherSpecies() string { return freshness.OtherSpecies }

// Found reports whether something is found on the fish at hand.
func (v inspectView) Found(id string) bool { return slices.Contains(v.Chosen().Findings, id) }

// IsBox reports whether there are more fish than one.
func (v inspectView) IsBox() bool { return v.count() > 1 }

// Caution stands beside a sample.
func (inspectView) Caution() string { return freshness.SampleCaution }

// FishJSON is what was seen so far, for the form.
func (v inspectView) FishJSON() string {
	text, _ := json.Marshal(v.Fish) // whole numbers and strings always marshal
	return string(text)
}

// VignetteZone is the part of the fish that shows the levels of a sign; all of
// it for those that bend the body.
func (inspectView) VignetteZone(sign freshness.Sign) string {
	if slices.ContainsFunc(sign.Levels, func(l freshness.Level) bool { return l.Show["rigor"] > 0 }) {
		return "all"
	}
	return sign.Zone
}

// Show writes what a level shows for the address of its vignette.
func (v inspectView) Show(level freshness.Level) string { return drawing.FormatFeatures(level.Show) }

// Decisions are what may be decided.
func (inspectView) Decisions() []freshness.Decision { return freshness.Decisions }

// IndexShare is the index as a share of its maximum, in thousandths.
func (v inspectView) IndexShare() float64 {
	if v.Reading == nil {
		return 0
	}
	return 1000 * v.Reading.Index / float64(v.Reading.IndexMax)
}

// StopShare is the rejection index in the same measure; 0 where there is none.
func (v inspectView) StopShare() float64 {
	if v.Scheme.Calibration == nil {
		return 0
	}
	return 1000 * v.Scheme.Calibration.RejectionShare
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

// dot is one fish on the drawing of the spread.
type dot struct {
	N     int     // from 1
	X     float64 // its index, thousandths of the maximum
	Y     float64 // stacked where fish stand close
	Word  string
	Class string
	Now   bool
}

// dots places the fish seen along the index, those that stand close one above
// the other.
func (v inspectView) dots() []dot {
	if v.Reading == nil {
		return nil
	}
	var dots []dot
	columns := map[int]int{}
	for i, fish := range v.Fish {
		if len(fish.Signs) == 0 {
			continue
		}
		read, verdict := freshness.FishReading{Index: v.Reading.Index, Grade: v.Reading.Grade}, v.Verdict.Decision
		if n := len(dots); n < len(v.Reading.Each) { // of one fish there is only the whole
			read, verdict = v.Reading.Each[n], v.Verdict.Each[n]
		}
		d := dot{N: i + 1, X: 1000 * read.Index / float64(v.Reading.IndexMax), Now: i == v.At}
		d.Word, d.Class = read.Grade+", "+strings.ToLower(verdict.Name()), string(verdict)
		column := int(d.X / 40)
		d.Y = float64(columns[column])
		columns[column]++
		dots = append(dots, d)
	}
	return dots
}

// CanSplit reports whether some of the fish may stay and some may not, so that
// the box is better split than refused.
func (v inspectView) CanSplit() bool {
	accepted := func(d freshness.Decision) bool { return d.Accepted() }
	refused := func(d freshness.Decision) bool { return !d.Accepted() }
	return !v.Verdict.OpenAll && slices.ContainsFunc(v.Verdict.Each, accepted) && slices.ContainsFunc(v.Verdict.Each,
		refused)
}

// filled are the fish of which something was seen.
func (v inspectView) filled() []freshness.Fish {
	return slices.DeleteFunc(slices.Clone(v.Fish), func(f freshness.Fish) bool { return len(f.Signs) == 0 })
}

// inspectStep assesses what the form says so far.
func (s *Server) inspectStep(c *gin.Context) (inspectView, error) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		return inspectView{}, kitchen.ErrNotFound
	}
	f := posted(c)
	v := inspectView{Current: f.Text("current"), Back: f.preview()}
	scheme := f.Text("scheme")
	if scheme == "" {
		scheme = c.Query("scheme")
	}
	v.readFish(f)
	do := f.Text("do")
	if do == "index" { // the sample was looked at quickly: on with one of it by its signs
		scheme, v.Quick, v.Fish, v.At, v.Current = "", v.filled(), []freshness.Fish{{Signs: freshness.Signs{}}}, 0, ""
	}
	if v.InspectionPreview, err = s.kitchen.PreviewInspection(c.Request.Context(), id, s.kitchen.Now(),
		kitchen.SeenFish{Scheme: scheme, Fish: v.filled(), Quick: v.Quick}); err != nil {
		return v, err
	}
	if c.Request.Method == http.MethodGet && scheme == "" && v.count() > sampledFrom && v.quickFits() {
		if v.InspectionPreview, err = s.kitchen.PreviewInspection(c.Request.Context(), id, s.kitchen.Now(),
			kitchen.SeenFish{Scheme: "quick"}); err != nil {
			return v, err
		}
	}
	if do == "good" && v.allGood() {
		if v.InspectionPreview, err = s.kitchen.PreviewInspection(c.Request.Context(), id, s.kitchen.Now(),
			kitchen.SeenFish{Scheme: scheme, Fish: v.filled(), Quick: v.Quick}); err != nil {
			return v, err
		}
	}
	r := v.State.Received
	v.Sample = v.sample()
	v.Subject = drawing.Subject{Figure: v.State.Species().Figure, Form: r.Form, Frozen: v.State.Frozen()}
	v.Signs = freshness.BySense(v.Scheme.SignsOn(r.Form), f.actor.Person.Senses)
	if _, ok := v.Scheme.Sign(v.Current); !ok {
		v.Current = v.Signs[0].ID
	}
	v.Dots = v.dots()
	v.draw()
	return v, nil
}

// readFish reads the fish seen so far: those in the hidden field, with the one
// at hand as its signs stand in the form; and turns to another where asked.
func (v *inspectView) readFish(f *input) {
	_ = json.Unmarshal([]byte(f.Text("fish")), &v.Fish) // a spoilt field begins anew
	_ = json.Unmarshal([]byte(f.Text("quick")), &v.Quick)
	v.At, _ = strconv.Atoi(f.Text("at"))
	v.At = min(max(v.At, 0), len(v.Fish))
	hand := f.fish()
	v.Fish = append(v.Fish, freshness.Fish{})[:max(len(v.Fish), v.At+1)]
	v.Fish[v.At] = hand
	do, at, _ := strings.Cut(f.Text("do"), "-")
	switch n, _ := strconv.Atoi(at); {
	case do == "next" && len(hand.Signs) > 0:
		v.At, v.Current = len(v.Fish), ""
		v.Fish = append(v.Fish, freshness.Fish{Signs: freshness.Signs{}})
	case do == "fish" && n >= 1 && n <= len(v.Fish):
		v.At, v.Current = n-1, ""
	}
}

// draw makes the pictures of the step.
func (v *inspectView) draw() {
	p := drawing.Picture{Subject: v.Subject, Features: v.Scheme.Features(v.Chosen())}
	for _, sign := range v.Signs {
		p.Zones = append(p.Zones, sign.Zone)
		if sign.ID == v.Current {
			p.Now = sign.Zone
		}
		open := slices.ContainsFunc(v.Signs, func(o freshness.Sign) bool {
			return o.Zone == sign.Zone && v.Level(o.ID) < 0
		})
		if !open && !slices.Contains(p.Done, sign.Zone) {
			p.Done = append(p.Done, sign.Zone)
		}
	}
	v.Drawn = p.Draw()
	var read *freshness.Age
	if v.Reading != nil {
		read = v.Reading.Age
	}
	if v.Scheme.Calibration != nil {
		v.Ruler = drawing.Ruler(v.State.Species().ShelfLife, v.DeclaredAge, read, v.Gap)
	}
}

func (s *Server) inspectForm(c *gin.Context) {
	v, err := s.inspectStep(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "Inspect "+v.State.Received.Code, "deliveries", v)
	p.InForm = true
	s.show(c, http.StatusOK, "inspect", p)
}

// inspectPreview renders what changes with a choice: the fish, the index, the
// ruler and the verdict; or all of the form where another fish is taken up.
func (s *Server) inspectPreview(c *gin.Context) {
	v, err := s.inspectStep(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "Inspect", "deliveries", v)
	p.InForm = true
	switch {
	case !isPart(c):
		s.show(c, http.StatusOK, "inspect", p)
	case c.PostForm("do") != "":
		s.render(c, http.StatusOK, "inspect", "inspect-form", p)
	default:
		s.render(c, http.StatusOK, "inspect", "step", p)
	}
}

// inspect records the inspection.
func (s *Server) inspect(c *gin.Context) {
	v, err := s.inspectStep(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "Inspect "+v.State.Received.Code, "deliveries", nil)
	p.InForm = true
	f := posted(c)
	in := kitchen.Inspection{EventID: f.UUID("event_id"), LotID: v.State.ID, Seen: int(f.ID("seen")), At: p.Now,
		Scheme: v.Scheme.ID, Fish: v.filled(), Quick: v.Quick, Decision: freshness.Decision(f.Text("decision")), Reason: f.Text("reason")}
	to := "/lots/" + v.State.ID.String()
	if unseen := v.Unseen(); len(unseen) > 0 && len(in.Fish) > 0 && f.Text("unseen") == "" { // asked once
		v.Back = form.Back{Values: f.Values, Sent: true, Again: "Nobody looked at: " + strings.Join(unseen, ", ") +
			". Look now, or record without: what was not seen tells nothing."}
		v.Values.Set("unseen", "1")
		p.Data = v
		s.show(c, http.StatusOK, "inspect", p)
		return
	}
	if f.Text("do") == "part" { // held until it is split, on its card
		in.Decision, in.Reason = freshness.Hold, "to be split"
		to += "?do=parted"
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		err := s.kitchen.Inspect(ctx, in)
		if err == nil {
			s.offerUndo(c, "Inspected", map[uuid.UUID]uuid.UUID{in.LotID: in.EventID})
		}
		return to, err
	}, func(back form.Back) {
		if len(back.Changed) > 0 { // what it is judged against has changed too
			if v, err = s.inspectStep(c); err != nil {
				s.fail(c, err)
				return
			}
		}
		v.Back = back
		p.Data = v
		s.show(c, v.Status(), "inspect", p)
	})
}

// vignette draws the part of a subject where a zone lies, with the features
// that its address names. The address carries the version of the assets, so
// browsers keep it.
func (s *Server) vignette(c *gin.Context) {
	subject, ok := drawing.ParseSubject(c.Param("subject"))
	look, known := drawing.ParseFeatures(c.Query("show"))
	if !ok || !known {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	svg := strings.Replace(string(drawing.Vignette(subject, strings.TrimSuffix(c.Param("zone"), ".svg"), look)),
		"<svg ", `<svg xmlns="http://www.w3.org/2000/svg" `, 1)
	c.Header("Cache-Control", "public, max-age=31536000, immutable")
	c.Data(http.StatusOK, "image/svg+xml", []byte(svg))
}
