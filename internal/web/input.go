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

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// input is what a person sent with a form, or asks by an address.
type input struct {
	form.Reader
	actor    kitchen.Actor
	form     string   // the name of the form, where its page has several
	unlisted []string // names that are taken as unlisted fish
}

// posted is the input of a form that was sent.
func posted(c *gin.Context) *input {
	c.PostForm("") // parses it
	return inputOf(c, c.Request.PostForm)
}

// asked is the input of an address.
func asked(c *gin.Context) *input { return inputOf(c, c.Request.URL.Query()) }

func inputOf(c *gin.Context, values url.Values) *input {
	a := kitchen.ActorFrom(c.Request.Context())
	if values == nil {
		values = url.Values{}
	}
	return &input{Reader: form.Reader{Values: values, Temps: a.Temps(), Masses: a.Masses(), Zone: a.Zone()}, actor: a}
}

// post ends a form that was sent. Where nothing is wrong in it, act does what it
// says, and tells the page to go on to; what is wrong in it, or what act finds wrong,
// brings its page back by again, with all that was typed. A form that is still being
// filled in comes back as it is: nothing is done.
func (s *Server) post(c *gin.Context, in *input, act func(context.Context) (string, error), again func(form.Back)) {
	if in.Follows() {
		again(in.preview())
		return
	}
	err := in.Err()
	var to string
	if err == nil {
		to, err = act(c.Request.Context())
	}
	var bad invalid.Errors
	var changed *kitchen.Changed
	back := form.Back{Came: in.form, Values: in.Values, Sent: true}
	switch {
	case err == nil && kitchen.ActorFrom(c.Request.Context()).Asks: // it waits for a manager
		s.leadOn(c, s.base(c)+"/lots/"+c.Param("id")+"/label")
	case err == nil:
		s.leadOn(c, s.base(c)+to)
	case s.askApproval(c, err):
	case errors.As(err, &bad):
		back.Errors = bad
		again(back)
	case errors.As(err, &changed):
		for _, e := range changed.Events {
			back.Changed = append(back.Changed, e.Kind.Name()+" by "+e.Person)
		}
		again(back)
	default:
		s.fail(c, err)
	}
}

// preview is the form with what it says so far, for its page to be shown again: nothing
// was done. Who pressed its button on an older preview is told why it is pressed again.
func (in *input) preview() form.Back {
	back := form.Back{Came: in.form, Values: in.Values, Sent: true, Quiet: in.Follows()}
	if in.Changed() {
		back.Again = "Something changed since. This is what it comes to now: look at it, then press again."
	}
	back.Mark(in.Bad)
	return back
}

// unsent is the form of an address that nobody pressed a button of yet.
func unsent(c *gin.Context) form.Back { return form.Back{Values: c.Request.URL.Query(), Quiet: true} }

// leadOn goes on to another page of ours after a form was taken.
func (s *Server) leadOn(c *gin.Context, to string) {
	if sentByScript(c) {
		c.Header("Lean-Go", to)
		c.Status(http.StatusNoContent)
		return
	}
	c.Redirect(http.StatusSeeOther, to)
}

// sentByScript reports whether a form was sent by the page's script, which goes on by
// itself and keeps the page where something is wrong.
func sentByScript(c *gin.Context) bool { return c.GetHeader("Lean-Form") != "" }

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
		s.leadOn(c, s.base(c)+file)
	}
}

// oddOver is how far over its limit, K, a temperature is asked about.
const oddOver = 10

// odd asks once about a temperature that is so many kelvins over its limit.
func (in *input) odd(field string, over float64) {
	if over > oddOver {
		p := page{Actor: in.actor}
		in.Ask(field, "is "+strings.TrimPrefix(p.Kelvin(math.Round(over)), "+")+" over the limit")
	}
}

// mostGuesses is how many species an error beside a field names.
const mostGuesses = 4

// species reads a species as a person types it; one without an ID, with an error,
// where the catalogue does not know it, or where several are called so.
func (in *input) species(field string) species.Species {
	catalogue, text := in.actor.Site.Catalogue(), in.Text(field)
	named := catalogue.Named(text)
	if len(named) == 1 {
		return named[0]
	}
	if len(named) > 1 {
		in.Bad.Add(field, "is what several fish are called. Which one: %s?", orList(named))
	} else if near := catalogue.Suggest(text); len(near) > 0 {
		in.Bad.Add(field, "is not in the catalogue; did you mean %s?", orList(near))
	}
	return species.Species{}
}

// hazardTags are the hazards of a species in a word each.
func hazardTags(s species.Species) []string {
	var tags []string
	for _, h := range []struct {
		is   bool
		text string
	}{{s.Sale == species.SaleRefuse, "may not be sold"}, {s.Sale == species.SaleWarn, "warning"}, {s.HistamineRules(), "histamine"},
		{s.Ciguatera, "reef"}} {
		if h.is {
			tags = append(tags, h.text)
		}
	}
	return tags
}

// speciesOrUnlisted reads a species as species does; of a name that nobody finds it asks once whether
// that comes in as an unlisted fish, and notes the name.
func (in *input) speciesOrUnlisted(field string) species.Species {
	catalogue, text := in.actor.Site.Catalogue(), in.Text(field)
	if text == "" || len(catalogue.Named(text)) > 0 {
		return in.species(field)
	}
	ask := "is not in the catalogue"
	if near := catalogue.Suggest(text); len(near) > 0 {
		ask += "; did you mean " + orList(near) + "? If not"
	}
	if in.Ask(field, ask+", it comes in as an unlisted fish, under every rule"); in.Bad.On(field) != "" {
		return species.Species{}
	}
	in.unlisted = append(in.unlisted, text)
	return catalogue.Unlisted(text)
}

// pieces reads how many weigh so much, kg: a number, or how many a kilo or pound.
func (in *input) pieces(field string, kg float64) int {
	if !in.Has(field) {
		return in.MustWhole(field)
	}
	n, err := unit.ParsePieces(in.Text(field), kg)
	if err != nil {
		in.Bad.Add(field, "%v", err)
	}
	return n
}

// orList names the first of some species.
func orList(list []species.Species) string {
	names := make([]string, 0, mostGuesses)
	for _, s := range list[:min(len(list), mostGuesses)] {
		names = append(names, s.Name)
	}
	last := len(names) - 1
	switch {
	case len(list) > mostGuesses:
		return strings.Join(names, ", ") + " or another"
	case last == 0:
		return names[0]
	}
	return strings.Join(names[:last], ", ") + " or " + names[last]
}

// fish reads what was chosen for one fish: sign-<id> fields, explanations and
// findings. Levels that are no numbers are left out.
func (in *input) fish() freshness.Fish {
	fish := freshness.Fish{Signs: freshness.Signs{}, Findings: in.All("found")}
	for _, id := range in.All("explain") {
		if !slices.Contains(fish.Explanations, id) {
			fish.Explanations = append(fish.Explanations, id)
		}
	}
	for field := range in.Values {
		if sign, ok := strings.CutPrefix(field, "sign-"); ok {
			if level, err := strconv.Atoi(in.Text(field)); err == nil {
				fish.Signs[sign] = level
			}
		}
	}
	return fish
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
