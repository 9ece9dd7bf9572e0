package web

import (
	"context"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/planning"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// serviceView is the pass: the services to come with their plates, and what is to be begun for them.
type serviceView struct {
	form.Back
	Services  []kitchen.PlannedService
	Unplanned []serviceHour
	Starts    []kitchen.Start
	Worst     *kitchen.Shortage // the soonest; nil where nothing is missing
	One       uuid.UUID         // the service that a phone shows
}

// serviceHour is an hour of service that nothing is planned for.
type serviceHour struct {
	At    time.Time
	Guess planning.Estimate // guests, by those before; none where there were none
	Past  int               // how many of those there were
}

// services are the next services of the kitchen, the soonest first: two days of them.
func (p page) services() []time.Time { return p.serviceHours(2) }

// serviceHours are the hours of service of the next days.
func (p page) serviceHours(days int) []time.Time {
	var list []time.Time
	local := p.Now.In(p.Zone)
	for day := range days {
		for _, clock := range p.Actor.Site.ServiceHours {
			t, err := time.Parse("15:04", clock)
			if err != nil {
				continue
			}
			at := time.Date(local.Year(), local.Month(), local.Day()+day, t.Hour(), t.Minute(), 0, 0, p.Zone)
			if at.After(p.Now) {
				list = append(list, at)
			}
		}
	}
	slices.SortFunc(list, time.Time.Compare)
	return list
}

// columns is how many services are shown beside each other, unplanned how many hours without a plan are offered.
const columns, unplanned = 3, 4

// service shows the pass.
func (s *Server) service(c *gin.Context) { s.showService(c, form.Back{}) }

func (s *Server) showService(c *gin.Context, back form.Back) {
	p, ctx := s.page(c, "Service", "service", nil), c.Request.Context()
	v := serviceView{Back: back}
	list, err := s.kitchen.Planned(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Starts = kitchen.Starts(list)
	for _, at := range p.serviceHours(7) {
		planned := slices.ContainsFunc(list, func(x kitchen.PlannedService) bool { return x.At.Sub(at).Abs() < time.Hour })
		if planned || len(v.Unplanned) == unplanned {
			continue
		}
		guess, past, err := s.kitchen.Suggested(ctx, at)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.Unplanned = append(v.Unplanned, serviceHour{at, guess.Covers, past})
	}
	v.Services = list[:min(columns, len(list))]
	if short := kitchen.Shortages(list, p.Now); len(short) > 0 {
		v.Worst = &short[0]
	}
	if len(list) > 0 {
		v.One = list[0].ID
	}
	for _, x := range list {
		if x.ID.String() == c.Query("one") {
			v.One = x.ID
			if !slices.ContainsFunc(v.Services, func(y kitchen.PlannedService) bool { return y.ID == x.ID }) {
				v.Services = append(slices.Clone(v.Services[:columns-1]), x) // the plan is shared
			}
		}
	}
	p.Data = v
	s.show(c, v.Status(), "service", p)
}

// StartTo is the page on which something is begun, below that of the kitchen, for who may do it.
func (serviceView) StartTo(p page, x kitchen.Start) string {
	switch {
	case p.Writes():
		return x.To()
	case x.Row != nil:
		return "/lots/" + x.Row.LotID.String()
	}
	return "/service?one=" + x.ID.String()
}

// Plates are those of a dish, drawn.
func (serviceView) Plates(d kitchen.PlannedDish) template.HTML {
	return drawing.Plates{Label: d.Name, Reserved: d.There(), Free: d.FreePlates(), Missing: d.Missing()}.Draw()
}

// Portion is what lies on a plate, in words.
func (p page) Portion(d planning.Dish) string {
	how := "cooked"
	if d.Raw {
		how = "raw"
	}
	if d.Aged {
		how = "aged, " + how
	}
	if d.Part == planning.WholeFish {
		return fmt.Sprintf("one fish of %.0f to %.0f g, %s", d.FishG.Lo, d.FishG.Hi, how)
	}
	if d.Pieces == 1 {
		return fmt.Sprintf("%.0f g %s, %s", d.PieceG, strings.ToLower(partName(d.Part)), how)
	}
	return fmt.Sprintf("%d × %.0f g %s, %s", d.Pieces, d.PieceG, strings.ToLower(partName(d.Part)), how)
}

// Guests are guests with their spread, in words.
func (page) Guests(e planning.Estimate) string {
	if e.SD < 0.5 {
		return fmt.Sprintf("%.0f guests", e.Mean)
	}
	return fmt.Sprintf("%.0f guests give or take %.0f", e.Mean, e.SD)
}

// Nights is how often so many plates run out, in words, and how many are left over on average.
func (page) Nights(asked planning.Estimate, plates int) string {
	if asked.SD == 0 {
		return fmt.Sprintf("%d plates, as typed", plates)
	}
	text := fmt.Sprintf("%d plates: %s", plates, runsOut(asked.Enough(float64(plates))))
	if left := asked.Left(float64(plates)); left >= 0.5 {
		text += fmt.Sprintf(", %.0f left on average", left)
	}
	return text
}

// runsOut is how often there is not enough, in words.
func runsOut(enough float64) string {
	words := []string{"", "every night", "one night in two", "one night in three", "one night in four", "one night in five",
		"one night in six",
		"one night in seven", "one night in eight", "one night in nine", "one night in ten"}
	switch short := 1 - enough; {
	case short < 0.005:
		return "hardly ever runs out"
	case short > 0.9:
		return "runs out nearly every night"
	case short > 0.55:
		return fmt.Sprintf("runs out %.0f nights in ten", 10*short)
	default:
		n := int(math.Round(1 / short))
		if n < len(words) {
			return "runs out " + words[n]
		}
		return fmt.Sprintf("runs out one night in %d", n)
	}
}

// levels are the chances of having enough that are offered.
var levels = []float64{0.8, 0.9, 0.95, 0.98}

// Levels are those to choose from.
func (page) Levels() []form.Option {
	list := []form.Option{{ID: "0", Name: "by what a missing and a left-over plate cost"}}
	for _, l := range levels {
		list = append(list, form.Option{ID: fmt.Sprint(l), Name: runsOut(l)})
	}
	return list
}

// servicePlanView is the form by which a service is planned.
type servicePlanView struct {
	form.Back
	ID     uuid.UUID
	Known  bool // it is planned already
	Past   int  // services that it is suggested by
	At     time.Time
	Covers planning.Estimate
	Level  float64
	Dishes []kitchen.Dish
	on     map[uuid.UUID]kitchen.ServiceDish // as it is planned
}

// Number writes a number for its field; "" for none.
func (servicePlanView) Number(n float64) string {
	if n == 0 {
		return ""
	}
	return strconv.FormatFloat(n, 'f', -1, 64)
}

// Share and Plates are what stands in the fields of a dish.
func (v servicePlanView) Share(d kitchen.Dish) string {
	if x, ok := v.on[d.ID]; ok && x.Plates == nil {
		return strconv.FormatFloat(100*x.Share, 'f', -1, 64)
	}
	return ""
}
func (v servicePlanView) Plates(d kitchen.Dish) string {
	if x, ok := v.on[d.ID]; ok && x.Plates != nil {
		return strconv.Itoa(*x.Plates)
	}
	return ""
}

// Words says what a dish comes to as it is typed; "" for nothing.
func (v servicePlanView) Words(p page, d kitchen.Dish) string {
	x, ok := v.on[d.ID]
	if !ok || x.Plates == nil && v.Covers.Mean == 0 {
		return ""
	}
	asked := x.Asked(v.Covers)
	level := v.Level
	if level == 0 {
		level = planning.LevelUsual
	}
	return p.Nights(asked, int(math.Ceil(asked.Quantity(level)-1e-9)))
}

// servicePlan shows the form of a service: one that is planned, or as those before it suggest one at an hour.
func (s *Server) servicePlan(c *gin.Context) {
	ctx := c.Request.Context()
	v := servicePlanView{Back: form.Back{}}
	if id, err := uuid.Parse(c.Query("id")); err == nil {
		planned, err := s.kitchen.Service(ctx, id)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.Known = true
		v.take(planned)
		s.showServicePlan(c, v)
		return
	}
	p := s.page(c, "", "", nil)
	at, err := time.ParseInLocation(form.LocalTime, c.Query("at"), p.Zone)
	if err != nil {
		at = p.Now.Add(24 * time.Hour).Truncate(time.Hour)
	}
	suggested, past, err := s.kitchen.Suggested(ctx, at)
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Past = past
	v.take(suggested)
	s.showServicePlan(c, v)
}

// take shows a service in the form.
func (v *servicePlanView) take(x kitchen.Service) {
	v.ID, v.At, v.Covers, v.Level, v.on = x.ID, x.At, x.Covers, x.Level, map[uuid.UUID]kitchen.ServiceDish{}
	for _, d := range x.Dishes {
		v.on[d.ID] = d
	}
}

func (s *Server) showServicePlan(c *gin.Context, v servicePlanView) {
	p := s.page(c, "Plan a service", "service", nil)
	p.InForm = true
	var err error
	if v.Dishes, err = s.kitchen.Dishes(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "serviceplan", p)
}

// saveService plans a service.
func (s *Server) saveService(c *gin.Context) {
	f, ctx := posted(c), c.Request.Context()
	dishes, err := s.kitchen.Dishes(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	in := f.service(dishes)
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/service?one=" + in.ID.String(), byDish(s.kitchen.SaveService(ctx, in), in.Dishes)
	}, func(back form.Back) {
		v := servicePlanView{Back: back}
		v.take(in)
		if at := f.At("at"); at != nil {
			v.At = *at
		}
		v.Known = f.Text("known") != ""
		s.showServicePlan(c, v)
	})
}

// service reads the form of a service. A dish with neither a share nor plates is not on it.
func (f *input) service(dishes []kitchen.Dish) kitchen.Service {
	x := kitchen.Service{ID: f.UUID("service_id"), At: f.MustAt("at")}
	if n := f.Number("covers"); n != nil {
		x.Covers.Mean = *n
	}
	if n := f.Number("covers_sd"); n != nil {
		x.Covers.SD = *n
	}
	x.Level, _ = strconv.ParseFloat(f.Text("level"), 64)
	for _, d := range dishes {
		sd := kitchen.ServiceDish{Dish: d, Plates: f.Whole("plates-" + d.ID.String())}
		if share := f.Number("share-"+d.ID.String(), "%"); share != nil {
			sd.Share = *share / 100
		}
		if sd.Plates != nil || sd.Share != 0 {
			x.Dishes = append(x.Dishes, sd)
		}
	}
	return x
}

// byDish names errors of "dishes[n].field" by the field and the id of the dish, as the form does.
func byDish(err error, dishes []kitchen.ServiceDish) error {
	bad, ok := err.(invalid.Errors)
	if !ok {
		return err
	}
	for i, e := range bad {
		var n int
		var field string
		if _, err := fmt.Sscanf(e.Field, "dishes[%d].%s", &n, &field); err == nil && n < len(dishes) {
			bad[i].Field = field + "-" + dishes[n].ID.String()
		}
	}
	return bad
}

// dropService takes back a plan.
func (s *Server) dropService(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = "drop"
	s.post(c, f, func(ctx context.Context) (string, error) { return "/service", s.kitchen.DropService(ctx, id) },
		func(back form.Back) { s.showService(c, back) })
}

// dishID reads the dish of a path; where it is none, the page was not found.
func (s *Server) dishID(c *gin.Context) (service, dish uuid.UUID, ok bool) {
	service, ok = s.pathID(c)
	if !ok {
		return service, dish, false
	}
	dish, err := uuid.Parse(c.Param("dish"))
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
		return service, dish, false
	}
	return service, dish, true
}

// dishAct answers a button of a dish on the pass, in the form of that name on its page.
func (s *Server) dishAct(name string, act func(context.Context, *input, uuid.UUID, uuid.UUID) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		service, dish, ok := s.dishID(c)
		if !ok {
			return
		}
		f := posted(c)
		f.form = name
		s.post(c, f, func(ctx context.Context) (string, error) {
			return "/service?one=" + service.String(), act(ctx, f, service, dish)
		}, func(back form.Back) { s.showServiceDish(c, service, dish, back) })
	}
}

func (s *Server) reserve(ctx context.Context, _ *input, service, dish uuid.UUID) error {
	_, err := s.kitchen.Reserve(ctx, service, dish)
	return err
}

func (s *Server) release(ctx context.Context, f *input, service, dish uuid.UUID) error {
	return s.kitchen.Release(ctx, service, dish, f.UUID("lot"))
}

func (s *Server) putUp(ctx context.Context, f *input, service, dish uuid.UUID) error {
	_, err := s.kitchen.PutUp(ctx, f.UUID("new_id"), service, dish)
	return err
}

// serviceDishView is a dish of a service with its lots.
type serviceDishView struct {
	form.Back
	Service kitchen.PlannedService
	Dish    kitchen.PlannedDish
	All     []kitchen.Candidate // fresh and frozen
}

// Plates are those of the dish, drawn.
func (v serviceDishView) Plates() template.HTML { return serviceView{}.Plates(v.Dish) }

func (s *Server) serviceDish(c *gin.Context) {
	if service, dish, ok := s.dishID(c); ok {
		s.showServiceDish(c, service, dish, form.Back{})
	}
}

func (s *Server) showServiceDish(c *gin.Context, service, dish uuid.UUID, back form.Back) {
	p, ctx := s.page(c, "Service", "service", nil), c.Request.Context()
	v := serviceDishView{Back: back}
	var err error
	if v.Service, v.Dish, err = s.kitchen.PlannedDish(ctx, service, dish); err == nil {
		v.All, err = s.kitchen.Candidates(ctx, v.Service.Service, v.Dish.Dish)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Title, p.Data = v.Dish.Name, v
	s.show(c, v.Status(), "servicedish", p)
}

// Lies says how a lot that is reserved lies; "" for what is ready.
func (p page) Lies(a kitchen.Allotted) string {
	f := a.FrozenStatus
	switch {
	case a.Against != "":
		return "fell: " + a.Against
	case a.PutUpAt != nil:
		return "put up " + p.When(*a.PutUpAt)
	case f != nil && f.Stage == assess.StageThawing:
		return "thaws"
	case a.Thawing:
		return "thaw planned"
	case a.Thaw != nil:
		return "frozen"
	case a.Offer.Cut:
		return "to cut"
	}
	return ""
}

// putUpSoon is how long before its hour fish is put up at the earliest without being asked why.
const putUpSoon = 2 * time.Hour

// PutUpNow reports whether the dish is soon to be put up.
func (v serviceDishView) PutUpNow(p page) bool {
	return !p.Now.Before(v.Service.At.Add(-v.Dish.PutUp - putUpSoon))
}

// Spent is what of its life a lot has spent, in words.
func (serviceDishView) Spent(c kitchen.Candidate) string {
	switch f := c.FrozenStatus; {
	case f != nil && f.InFreezer():
		return fmt.Sprintf("%.0f %% of its frozen life", 100*f.Share)
	case c.Known():
		return fmt.Sprintf("%.1f of %.0f fresh days", c.UsedDays, c.ShelfDays)
	}
	return "not known"
}

// Thaws says how a lot is thawed by then; "" for one that is not frozen.
func (serviceDishView) Thaws(c kitchen.Candidate) string {
	if c.Thaw == nil {
		return ""
	}
	return "thawed: " + strings.ToLower(c.Thaw.Method.Name)
}

// Is says in a word or two how a lot lies.
func (serviceDishView) Is(c kitchen.Candidate) string {
	switch {
	case c.Thaw != nil:
		return "frozen"
	case c.FrozenStatus != nil && c.FrozenStatus.Stage == assess.StageThawing:
		return "thawing"
	case c.FrozenStatus != nil:
		return "thawed"
	case c.AgeingStatus != nil:
		return "aged"
	}
	return "fresh"
}

// cookCheck notes the core of the thickest piece of a dish.
func (s *Server) cookCheck(ctx context.Context, f *input, service, dish uuid.UUID) error {
	return s.kitchen.CheckCooked(ctx, service, dish, f.MustCooked("celsius"))
}

// serviceCloseView is the form by which a service is closed.
type serviceCloseView struct {
	form.Back
	kitchen.PlannedService
	Places []form.Option
}

func (s *Server) closeForm(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		s.showClose(c, id, form.Back{})
	}
}

func (s *Server) showClose(c *gin.Context, id uuid.UUID, back form.Back) {
	p, ctx := s.page(c, "Close the service", "service", nil), c.Request.Context()
	p.InForm = true
	planned, err := s.kitchen.PlannedService(ctx, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := serviceCloseView{Back: back, PlannedService: planned}
	if v.Places, err = s.coldPlaces(ctx); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "serviceclose", p)
}

// coldPlaces are the places where raw fish may go.
func (s *Server) coldPlaces(ctx context.Context) ([]form.Option, error) {
	places, err := s.kitchen.Places(ctx)
	if err != nil {
		return nil, err
	}
	var list []form.Option
	for _, x := range places {
		if x.Cold() && !x.Freezer() && !x.AgeingCabinet() {
			list = append(list, form.Option{ID: strconv.FormatInt(x.ID, 10), Name: x.Name})
		}
	}
	return list, nil
}

// closeService records what a service came to.
func (s *Server) closeService(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f, ctx := posted(c), c.Request.Context()
	planned, err := s.kitchen.PlannedService(ctx, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	in := kitchen.ServiceResult{ID: f.UUID("new_id"), Came: f.MustWhole("came"), Dishes: map[uuid.UUID]kitchen.DishResult{},
		LeftTo: f.ID("left_to")}
	for _, d := range planned.Dishes {
		name := func(field string) string { return field + "-" + d.ID.String() }
		var r kitchen.DishResult
		if d.There() == 0 {
			r.Served = f.MustWhole(name("served"))
		} else {
			r.Left, r.Wasted, r.LeftKg = f.MustWhole(name("left")), f.MustWhole(name("wasted")), f.Mass(name("left_kg"))
		}
		in.Dishes[d.ID] = r
	}
	s.post(c, f, func(ctx context.Context) (string, error) { return "/service", s.kitchen.CloseService(ctx, id, in) },
		func(back form.Back) { s.showClose(c, id, back) })
}

// serviceThaw leads to the plan of the thaw that a dish of a service wants.
func (s *Server) serviceThaw(c *gin.Context) {
	service, dish, ok := s.dishID(c)
	if !ok {
		return
	}
	planned, d, err := s.kitchen.PlannedDish(c.Request.Context(), service, dish)
	if err != nil {
		s.fail(c, err)
		return
	}
	p, plates, row := s.page(c, "", "", nil), 0, (*kitchen.Row)(nil)
	for _, r := range slices.Concat(d.Reserved, d.Free) {
		if r.Thaw != nil && !r.Thawing && (row == nil || row.Form == r.Form && row.Species.ID == r.Species.ID) {
			plates, row = plates+r.Plates, &r.Row
		}
	}
	if row == nil {
		c.Redirect(http.StatusSeeOther, p.Base+"/service")
		return
	}
	use := "cook"
	if d.Raw {
		use = "raw"
	}
	q := url.Values{"what": {row.Species.ID + "/" + row.Form}, "portions": {strconv.Itoa(plates * d.Pieces)},
		"serve_at": {p.Local(planned.At)},
		"portion":  {fmt.Sprintf("%.0f", d.PieceG)}, "end_use": {use}}
	c.Redirect(http.StatusSeeOther, p.Base+"/cold/thaw/plan?"+q.Encode())
}

// partsOffered are the parts that a dish may be of.
func partsOffered() []form.Option {
	list := []form.Option{{ID: planning.WholeFish, Name: "One whole fish"}}
	for _, id := range cutting.Parts() {
		list = append(list, form.Option{ID: id, Name: partName(id)})
	}
	return list
}
