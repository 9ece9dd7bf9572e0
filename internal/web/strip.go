package web

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/kitchen"
)

// strip is the shift strip: the day from 00 to 24 with what is due on it.
type strip struct {
	Needle float64 // share of the day that is over, in thousandths
	Pins   []pin
	Late   int
}

// pin is one or more things due at about the same time.
type pin struct {
	X     float64
	Count int
	Late  bool
	Label string
	Href  string
}

// pinWidth is the width of a pin on the strip, in thousandths: what lies closer is one pin.
const pinWidth = 34.0

// strip renders the shift strip, or takes the one that was made for the same
// version and minute.
func (s *Server) strip(c *gin.Context, p page) (template.HTML, error) {
	return s.rendered(c, p, "strip", fmt.Sprint(p.Writes()), func(ctx context.Context) (template.HTML, error) {
		var err error
		if p.Data, err = s.stripView(ctx, p); err != nil {
			return "", err
		}
		var out bytes.Buffer
		err = s.views["due"].ExecuteTemplate(&out, "strip", p)
		return template.HTML(out.String()), err
	})
}

func (s *Server) stripView(ctx context.Context, p page) (strip, error) {
	local := p.Now.In(p.Zone)
	midnight := time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, p.Zone)
	end := midnight.AddDate(0, 0, 1)
	due, err := s.kitchen.DueBy(ctx, end)
	if err != nil {
		return strip{}, err
	}
	share := func(t time.Time) float64 {
		return 1000 * math.Max(0, t.Sub(midnight).Seconds()) / end.Sub(midnight).Seconds()
	}
	out := strip{Needle: share(p.Now)}
	for _, d := range due {
		late := d.Due.Before(p.Now)
		if late {
			out.Late++
		}
		x := share(d.Due)
		if n := len(out.Pins); n > 0 && x-out.Pins[n-1].X < pinWidth {
			out.Pins[n-1].Count++
			out.Pins[n-1].Late = out.Pins[n-1].Late || late
			out.Pins[n-1].Href = p.Base + "/due"
			out.Pins[n-1].Label = fmt.Sprintf("%d things due about %s", out.Pins[n-1].Count, p.Clock(d.Due))
			continue
		}
		out.Pins = append(out.Pins, pin{X: x, Count: 1, Late: late,
			Label: strings.TrimSuffix(fmt.Sprintf("%s: %s %s, %s", p.Clock(d.Due), d.Do, d.Name, d.Code), ", "),
			Href:  dueHref(p, d)})
	}
	return out, nil
}

func dueHref(p page, d kitchen.Due) string {
	if d.To != "" && p.Writes() {
		return p.Base + d.To
	}
	if d.Service != uuid.Nil {
		return fmt.Sprintf("%s/service?one=%s", p.Base, d.Service)
	}
	if d.Approval {
		return p.Base + "/approvals"
	}
	if d.Check {
		return p.Base + "/cold/check"
	}
	if d.PlanID != uuid.Nil {
		return fmt.Sprintf("%s/cold/thaw/plans/%s", p.Base, d.PlanID)
	}
	if d.ProbeID != 0 {
		return fmt.Sprintf("%s/cold/probes/%d", p.Base, d.ProbeID)
	}
	if d.LotID == uuid.Nil {
		return fmt.Sprintf("%s/cold#place-%d", p.Base, d.PlaceID)
	}
	href := p.Base + "/lots/" + d.LotID.String()
	if d.Path != "" && p.Writes() {
		href += "/" + d.Path
	}
	return href
}

// stripPart sends the strip alone, for the live channel.
func (s *Server) stripPart(c *gin.Context) {
	html, err := s.strip(c, s.page(c, "", "", nil))
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(html))
}
