package web

import (
	"context"
	"html/template"
	"net/url"
	"slices"
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
	"leancatch/internal/web/form"
)

// checksKept is how long the market lists a check that was not bought, stallsKept for how long its stalls
// are summed up.
const (
	checksKept = 3 * 24 * time.Hour
	stallsKept = 365 * 24 * time.Hour
)

// marketView is a check under way and those before it.
type marketView struct {
	form.Back
	Species species.Species
	Forms   []form.Option
	Signs   []freshness.Sign
	Ideas   []freshness.Explanation
	Fish    template.HTML
	Reading *freshness.Reading
	Verdict freshness.Verdict
	Hidden  map[string]string // the signs that may not be seen, and why
	Checks  []kitchen.MarketCheckResult
	Stalls  []kitchen.Stall // of the last year
}

// SecondLook reports whether fresher fish came from the back, which nobody looked at yet.
func (v marketView) SecondLook(l kitchen.MarketCheckResult) bool {
	return l.LotID == nil && l.Answers["back"] == lot.Fresher &&
		!slices.ContainsFunc(v.Checks, func(c kitchen.MarketCheckResult) bool { return c.SecondOf == l.ID })
}

// CompareQuery asks whether the fish is the better buy whole.
func (v marketView) CompareQuery() template.URL {
	q := url.Values{"species": {v.Species.Name}, "form": {v.Val("form")}}
	for to, from := range map[string]string{"whole_price": "price", "whole_kg": "weight_kg"} {
		if x := v.Val(from); x != "" && (from != "price" || v.Val("price_for") == "") {
			q.Set(to, x)
		}
	}
	return template.URL(q.Encode())
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
func (f *input) marketCheck() kitchen.MarketCheck {
	l := kitchen.MarketCheck{Stall: f.Text("stall"), Form: f.Text("form"), Answers: map[string]string{}}
	if sp, ok := f.actor.Site.Catalogue().Find(f.Text("species")); ok {
		l.SpeciesID = sp.ID
	}
	if f.Text("count") != "" {
		l.Count = f.MustWhole("count")
	}
	if f.Text("weight_kg") != "" {
		l.WeightKg = f.MustMass("weight_kg")
	}
	l.PriceCents, l.PriceFor = f.priceFor("price")
	l.Fish = f.fish()
	if id, err := uuid.Parse(f.Text("second")); err == nil {
		l.SecondOf = id
	}
	for field := range f.Values {
		if ask, ok := strings.CutPrefix(field, "stall-"); ok && f.Text(field) != "" {
			l.Answers[ask] = f.Text(field)
		}
	}
	return l
}

func (s *Server) market(c *gin.Context) {
	p := s.page(c, "Market", "deliveries", nil)
	p.InForm = true
	values := url.Values{"form": {"whole"}, "species": {c.Query("species")}}
	if first := s.marketCheckOf(c, c.Query("again")); first != nil { // a second look
		values = url.Values{"form": {first.Form}, "species": {p.SpeciesOf(first.SpeciesID).Name}, "stall": {first.Stall},
			"second": {first.ID.String()}}
	}
	s.showMarket(c, p, marketView{Back: form.Back{Values: values}}, kitchen.MarketCheck{Form: values.Get("form")})
}

// showMarket renders the market with what the scheme makes of the check so far.
func (s *Server) showMarket(c *gin.Context, p page, v marketView, l kitchen.MarketCheck) {
	ctx := c.Request.Context()
	v.Species, _ = p.Actor.Site.Catalogue().Find(v.Val("species"))
	v.Forms = named(lot.Forms[:5], lot.FormName)
	if v.Val("form") == "" {
		v.Values.Set("form", "whole")
	}
	v.Hidden = lot.Hidden(l.Answers)
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
	checks, err := s.kitchen.MarketChecksSince(ctx, p.Now.Add(-stallsKept))
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Stalls = kitchen.Stalls(checks)
	for _, check := range checks {
		if check.At.After(p.Now.Add(-checksKept)) {
			v.Checks = append(v.Checks, check)
		}
	}
	p.Data = v
	s.show(c, v.Status(), "marketcheck", p)
}

// checkFish judges the check so far, or keeps it.
func (s *Server) checkFish(c *gin.Context) {
	p := s.page(c, "Market", "deliveries", nil)
	p.InForm = true
	f := posted(c)
	l := f.marketCheck()
	l.ID, l.At = f.UUID("new_id"), p.Now
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/deliveries/market", s.kitchen.SaveMarketCheck(ctx, l)
	}, func(back form.Back) { s.showMarket(c, p, marketView{Back: back}, l) })
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
	set("label-day", l.At.In(p.Zone).Format(time.DateOnly))
	set("label-hour", p.Clock(l.At))
	if l.Count > 0 {
		set("count", strconv.Itoa(l.Count))
	}
	if l.WeightKg > 0 {
		set("weight_kg", p.MassField(l.WeightKg))
	}
	v.price(p, 0, l.PriceCents, l.PriceFor)
}
