package web

import (
	"context"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// settingsView is the page of what a kitchen calls itself and how it counts.
type settingsView struct{ form.Back }

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

// hours reads hours of the day, with spaces or commas between them.
func (in *input) hours(field string) []string {
	return strings.Fields(strings.ReplaceAll(in.Text(field), ",", " "))
}
