package web

import (
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
)

// checksKept is how long the market lists a check that was not bought.
const checksKept = 3 * 24 * time.Hour

// marketView is a check under way and those before it.
type marketView struct {
	formInput
	Species species.Species
	Forms   []string
	Signs   []freshness.Sign
	Ideas   []freshness.Explanation
	Fish    template.HTML
	Reading *freshness.Reading
	Verdict freshness.Verdict
	Checks  []kitchen.MarketCheckResult
}

// Level is the level chosen for a sign, −1 for none.
func (v marketView) Level(sign string) int {
	if n, err := strconv.Atoi(v.Val("sign-" + sign)); err == nil {
		return n
	}
	return -1
}

// Explained reports whether an explanation is given.
func (v marketView) Explained(id string) bool {
	for _, e := range v.Values["explain"] {
		if e == id {
			return true
		}
	}
	return false
}

// Card is what to ask for at the stall.
func (marketView) Card() []lot.StallQuestion { return lot.StallQuestions }

// Answered writes the answers of a check.
func (marketView) Answered(l kitchen.MarketCheckResult) string {
	var said []string
	for _, ask := range lot.StallQuestions {
		for _, a := range ask.Answers {
			if l.Answers[ask.ID] == a.ID {
				said = append(said, ask.Ask+" "+a.Name+".")
			}
		}
	}
	return strings.Join(said, " ")
}

// marketCheck reads the form.
func (f *form) marketCheck() kitchen.MarketCheck {
	l := kitchen.MarketCheck{Stall: f.text("stall"), Form: f.text("form"), Answers: map[string]string{}}
	if sp, ok := f.actor.Site.Catalogue().Find(f.text("species")); ok {
		l.SpeciesID = sp.ID
	}
	if f.text("count") != "" {
		l.Count = f.whole("count")
	}
	if f.text("weight_kg") != "" {
		l.WeightKg = f.kilograms("weight_kg")
	}
	l.PriceCents = f.cents("price")
	l.Fish = f.fish()
	for field := range f.c.Request.PostForm {
		if ask, ok := strings.CutPrefix(field, "ask-"); ok && f.text(field) != "" {
			l.Answers[ask] = f.text(field)
		}
	}
	return l
}

func (s *Server) market(c *gin.Context) {
	p := s.page(c, "Market", "deliveries", nil)
	s.showMarket(c, http.StatusOK, p, marketView{formInput: formInput{Values: url.Values{"id": {p.NewID()},
		"form": {"whole"}, "species": {c.Query("species")}}}}, kitchen.MarketCheck{Form: "whole"})
}

// showMarket renders the market with what the scheme makes of the check so far.
func (s *Server) showMarket(c *gin.Context, status int, p page, v marketView, l kitchen.MarketCheck) {
	ctx := c.Request.Context()
	v.Species, _ = p.Actor.Site.Catalogue().Find(v.Val("species"))
	v.Forms = lot.Forms[:5]
	if v.Val("form") == "" {
		v.Values.Set("form", "whole")
	}
	if scheme, ok := freshness.Find("quick", v.Species); ok {
		v.Signs = scheme.SignsOn(v.Val("form"))
		known := freshness.Fish{Signs: freshness.Signs{}, Explanations: l.Fish.Explanations}
		for _, sign := range v.Signs { // those of another form were chosen before it was
			if level := v.Level(sign.ID); level >= 0 && level < len(sign.Levels) {
				known.Signs[sign.ID] = level
				v.Ideas = append(v.Ideas, freshness.ExplanationsFor(sign.ID, level, v.Species)...)
			}
		}
		l.Fish = known
		if figure := v.Species.Figure; figure != "" {
			v.Fish = drawing.Picture{Subject: drawing.Subject{Figure: figure, Form: v.Val("form")},
				Features: scheme.Features(known)}.Draw()
		}
		l.SpeciesID, l.Form = v.Species.ID, v.Val("form")
		if reading, verdict, err := s.kitchen.PreviewMarketCheck(ctx, l); err == nil {
			v.Reading, v.Verdict = &reading, verdict
		}
	}
	if isPart(c) && c.PostForm("action") == "judge" { // only what is drawn: the checks kept stay as they are
		p.Data = v
		s.render(c, status, "marketcheck", "check-parts", p)
		return
	}
	var err error
	if v.Checks, err = s.kitchen.MarketChecksSince(ctx, p.Now.Add(-checksKept)); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	if isPart(c) {
		s.render(c, status, "marketcheck", "market-form", p)
		return
	}
	s.show(c, status, "marketcheck", p)
}

// checkFish judges the check so far, or keeps it.
func (s *Server) checkFish(c *gin.Context) {
	p := s.page(c, "Market", "deliveries", nil)
	f := newForm(c)
	l := f.marketCheck()
	l.ID, l.At = f.uuid("id"), p.Now
	v := marketView{formInput: formInput{Values: c.Request.PostForm}}
	if f.text("action") != "keep" {
		s.showMarket(c, http.StatusOK, p, v, l)
		return
	}
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.SaveMarketCheck(c.Request.Context(), l)
	}
	switch {
	case errors.As(err, &v.Errors):
		s.showMarket(c, http.StatusUnprocessableEntity, p, v, l)
	case err != nil:
		s.fail(c, err)
	case isPart(c):
		c.Header("HX-Redirect", p.Base+"/deliveries/market")
	default:
		c.Redirect(http.StatusSeeOther, p.Base+"/deliveries/market")
	}
}

// marketCheckOf returns the market check that a delivery line was bought after; nil for none.
func (s *Server) marketCheckOf(c *gin.Context, id string) *kitchen.MarketCheck {
	lookID, err := uuid.Parse(id)
	if err != nil {
		return nil
	}
	l, err := s.kitchen.OpenMarketCheck(c.Request.Context(), lookID)
	if err != nil {
		return nil
	}
	return &l
}

// fromMarket begins a delivery with fish bought after a market check.
func (v *receiveView) fromMarket(p page, l kitchen.MarketCheck) {
	v.Values.Set("supplier", l.Stall)
	set := func(field, value string) { v.Values.Set(lineField(0, field), value) }
	set("look", l.ID.String())
	set("species", p.SpeciesOf(l.SpeciesID).Name)
	set("form", l.Form)
	set("claim.means", string(freshness.Bought))
	set("claim.at", p.Local(l.At))
	if l.Count > 0 {
		set("count", strconv.Itoa(l.Count))
	}
	if l.WeightKg > 0 {
		set("weight_kg", p.MassField(l.WeightKg))
	}
}
