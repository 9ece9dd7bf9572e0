package web

import (
	"context"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/costing"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/preparing"
	"leancatch/internal/kitchen"
	"leancatch/internal/label"
	"leancatch/internal/web/form"
)

// settingsView is the page of what a kitchen calls itself and how it counts.
type settingsView struct{ form.Back }

// Policies are those of the bench.
func (settingsView) Policies() []cutting.Policy { return cutting.Policies }

// CostBy is how the cost of a fish may be shared.
func (settingsView) CostBy() []form.Option {
	return []form.Option{{ID: string(costing.ByValue), Name: "by what they are worth"}, {ID: string(costing.ByWeight), Name: "by weight"}}
}

// Procedure is the written procedure for par-cooking.
func (settingsView) Procedure() []string { return preparing.Procedure }

// Medias are the sizes of labels.
func (settingsView) Medias() []form.Option { return labelsView{}.Medias() }

// Currencies are what it may count money in.
func (settingsView) Currencies() any { return kitchen.Currencies }

// Hours writes hours of the day for a field.
func (settingsView) Hours(hours []string) string { return strings.Join(hours, " ") }

func (s *Server) settings(c *gin.Context) { s.showSettings(c, form.Back{}) }

func (s *Server) showSettings(c *gin.Context, back form.Back) {
	p := s.page(c, "Settings", "", settingsView{back})
	p.InForm = true
	s.show(c, back.Status(), "settings", p)
}

// setSettings changes them.
func (s *Server) setSettings(c *gin.Context) {
	f := posted(c)
	in := kitchen.Settings{Name: f.Text("name"), TimeZone: f.Text("time_zone"), Currency: f.Text("currency"),
		Service: f.hours("service"), Checks: f.hours("checks")}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/settings", s.kitchen.SetSettings(ctx, in)
	}, func(back form.Back) { s.showSettings(c, back) })
}

// setBench changes how the bench usually works.
func (s *Server) setBench(c *gin.Context) {
	f := posted(c)
	f.form = "bench"
	policies, by := f.policies(), costing.Method(f.Text("cost_by"))
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/settings", s.kitchen.SetBench(ctx, policies, by)
	}, func(back form.Back) { s.showSettings(c, back) })
}

// setPrinter names the label printer, and asks it to print a label where that is wanted.
func (s *Server) setPrinter(c *gin.Context) {
	f := posted(c)
	f.form = "printer"
	uri, media, try := f.Text("printer"), f.Text("media"), f.Text("try") != ""
	s.post(c, f, func(ctx context.Context) (string, error) {
		if err := s.kitchen.SetPrinter(ctx, uri, media); err != nil || !try {
			return "/settings", err
		}
		a := kitchen.ActorFrom(ctx)
		a.Site.Printer = uri
		size, _ := label.GetMedia(media)
		return "/settings", printOn(ctx, a, size, []label.Label{{Name: "A label to try", Code: "0000", Uses: []string{"It prints"},
			Foot: a.Site.Name, URL: s.reachedAt(c) + s.base(c) + "/board"}})
	}, func(back form.Back) { s.showSettings(c, back) })
}

// signParCook signs the procedure for par-cooking, or withdraws it.
func (s *Server) signParCook(c *gin.Context) {
	f := posted(c)
	f.form = "par_cook"
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/settings", s.kitchen.SignParCook(ctx, f.Text("sign") == "yes")
	}, func(back form.Back) { s.showSettings(c, back) })
}

// policies reads the ways of the bench that are chosen.
func (f *input) policies() map[string]string {
	chosen := map[string]string{}
	for _, p := range cutting.Policies {
		if choice := f.Text("policy-" + p.ID); choice != "" {
			chosen[p.ID] = choice
		}
	}
	return chosen
}

// hours reads hours of the day, with spaces or commas between them.
func (in *input) hours(field string) []string {
	return strings.Fields(strings.ReplaceAll(in.Text(field), ",", " "))
}
