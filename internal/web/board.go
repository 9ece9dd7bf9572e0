package web

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
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

	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// The board's axis: the first day takes dayShare of the width, the days after it up to axisDays
// the rest. The script reads them off the board, to move its handle.
const (
	axisWidth = 1000.0
	dayShare  = 0.38
	axisDays  = 14.0
)

// axis places a time from now, in days, on the axis.
func axis(d float64) float64 {
	switch {
	case math.IsNaN(d) || d <= 0:
		return 0
	case d <= 1:
		return axisWidth * dayShare * d
	}
	return axisWidth * (dayShare + (1-dayShare)*math.Min((d-1)/(axisDays-1), 1))
}

// AxisAt places a time on the axis.
func (p page) AxisAt(at time.Time) float64 { return axis(at.Sub(p.Now).Hours() / 24) }

// boardQuery is how a board is looked at: what its address says.
type boardQuery struct {
	At      time.Time // the hour of the service handle
	View    string    // first, place or table
	For     string    // raw or cook: only what may be served so then; "" for all
	Species string    // only this one; "" for all
	Sort    string    // the column of the table; "" for the one used first
}

// The ways to look at a board.
var boardViews = []form.Option{{ID: "first", Name: "First to use"}, {ID: "place", Name: "By place"}, {ID: "table", Name: "Table"}}

// newBoardQuery reads an address. What it does not know is the usual.
func newBoardQuery(p page, q url.Values) boardQuery {
	b := boardQuery{At: p.Now, View: "first", Species: q.Get("species"), Sort: q.Get("sort")}
	if at, err := time.ParseInLocation(form.LocalTime, q.Get("at"), p.Zone); err == nil && at.After(p.Now) &&
		at.Sub(p.Now) <= assess.OutlookAhead {
		b.At = at
	}
	for _, v := range boardViews {
		if v.ID == q.Get("view") {
			b.View = v.ID
		}
	}
	if use := q.Get("for"); use == string(assess.ServeRaw) || use == string(assess.ServeCook) {
		b.For = use
	}
	return b
}

// with is the address with one of its values changed; the usual ones are left out.
func (b boardQuery) with(p page, name, value string) string {
	q := url.Values{"view": {b.View}, "for": {b.For}, "species": {b.Species}, "sort": {b.Sort}}
	if b.At.After(p.Now) {
		q.Set("at", p.Local(b.At))
	}
	q.Set(name, value)
	for name, values := range q {
		if values[0] == "" || name == "view" && values[0] == "first" {
			q.Del(name)
		}
	}
	if len(q) == 0 {
		return p.Base + "/board"
	}
	return p.Base + "/board?" + q.Encode()
}

// shows reports whether a row is among those asked for.
func (b boardQuery) shows(r boardRow) bool {
	return (b.Species == "" || b.Species == r.Row.Species.ID) && (b.For == "" || r.serves(b.For))
}

type boardView struct {
	boardQuery
	p       page
	Mark    int64
	Hours   []boardHour
	Uses    []boardUse
	Kinds   []form.Option // the species on hand
	Days    []tick
	Hour    float64 // the handle on the axis
	Groups  []boardGroup
	Frozen  boardGroup
	Table   []boardRow
	Columns []boardColumn
	Lots    int
}

// Live is the address of this board's rows, for the live channel.
func (v boardView) Live() string {
	return strings.Replace(v.with(v.p, "sort", v.Sort), "/board", "/board/rows", 1)
}

// Link is the address of the board looked at in another way.
func (v boardView) Link(name, value string) string { return v.with(v.p, name, value) }

// Any reports whether a row is shown.
func (v boardView) Any() bool {
	return slices.ContainsFunc(append(v.Groups, v.Frozen), func(g boardGroup) bool {
		return slices.ContainsFunc(g.Rows, func(r boardRow) bool { return !r.Hidden })
	})
}

// Handle is the hour of the handle in words.
func (v boardView) Handle() string {
	if !v.At.After(v.p.Now) {
		return "Now"
	}
	return v.p.When(v.At)
}

// Words are what the script says of a row when the handle moves.
func (boardView) Words() string {
	words := map[string]string{}
	for _, s := range []assess.Serving{assess.ServeRaw, assess.ServeCook, assess.ServeNone} {
		words[string(s)] = servingWord(s)
	}
	text, _ := json.Marshal(words) // strings always marshal
	return string(text)
}

// Scale is the axis, for the script.
func (boardView) Scale() string { return fmt.Sprintf("%g %g", dayShare, axisDays) }

// Views are the ways to look at a board.
func (v boardView) Views() []form.Option { return chosenOne(boardViews, v.View) }

// chosenOne marks one of some options.
func chosenOne(list []form.Option, id string) []form.Option {
	list = slices.Clone(list)
	for i := range list {
		list[i].Chosen = list[i].ID == id
	}
	return list
}

// tick is a mark of the axis.
type tick struct {
	X     float64
	Label string // "" where there is no room
}

// boardHour is an hour to which the handle is set with one tap.
type boardHour struct {
	Name   string
	At     time.Time
	Minute int64
	Href   string
	Now    bool    // the handle is there
	RawKg  float64 // that may be served raw then
}

// boardUse is what the rows may be asked for.
type boardUse struct {
	ID, Name, Href string
	Now            bool
	Lots           int
	Kg             float64
}

type boardGroup struct {
	ID, Name, Note string
	Rows           []boardRow
	Kg             float64
}

func (g *boardGroup) add(r boardRow) {
	g.Rows = append(g.Rows, r)
	g.Kg += r.WeightKg
}

// boardRow is a lot on the board, as it is at the hour of the handle.
type boardRow struct {
	kitchen.Row
	Place   string
	Group   string
	Spell   assess.Spell
	Word    string // what it may be served as
	Why     string
	Note    string // a clock that is near its limit
	Bars    []bar
	Mean    float64  // the end that is likeliest; 0 for none
	NoBar   bool     // nobody knows when it ends
	Beyond  bool     // it ends beyond the axis
	By      string   // by when it is served
	Pale    bool     // it ends before the hour of the handle
	Hidden  bool     // not among those asked for
	Booked  *booking // nil where nothing of it is reserved
	Subject drawing.Subject
}

// booking is what is reserved of a lot.
type booking struct {
	Plates int
	Fell   bool // some may not be served any more
	Words  string
	Marks  []bookedMark
}

// bookedMark is a service that some of a lot is reserved for, at its hour on the axis.
type bookedMark struct {
	X    float64
	Fell bool
}

// bar is a part of a row's bar: a fill with the word for it.
type bar struct {
	X, To float64
	Class string
	Label string // "" where there is no room
}

// Width is how long the part is.
func (b bar) Width() float64 { return b.To - b.X }

// wordRoom is the length that a word needs in its bar, thousandths of the axis.
const wordRoom = 90.0

func servingWord(s assess.Serving) string {
	return map[assess.Serving]string{assess.ServeRaw: "Raw", assess.ServeCook: "Cook only"}[cmp.Or(s, assess.ServeNone)]
}

// serves reports whether the lot may be served so at the hour of the handle.
func (r boardRow) serves(use string) bool {
	return r.Spell.Serving == assess.ServeRaw || use == string(assess.ServeCook) && r.Spell.Serving == assess.ServeCook
}

// Ahead is the outlook for the script: serving, minute of the epoch, why.
func (r boardRow) Ahead() string {
	list := [][3]any{}
	if r.Group != "frozen" {
		for _, s := range r.Outlook {
			list = append(list, [3]any{s.Serving, s.From.Unix() / 60, s.Why})
		}
	}
	text, _ := json.Marshal(list) // strings and numbers always marshal
	return string(text)
}

// Order is what the rows of a group are sorted by.
func (r boardRow) Order() int64 {
	if by := r.UseFirstBy(); !by.IsZero() {
		return by.Unix() / 60
	}
	return r.ReceivedAt.Unix()/60 + 1e9
}

// Minute is the last minute in which it is served, of the epoch; 0 where that is not known.
func (r boardRow) Minute() int64 {
	if r.UseBy.IsZero() {
		return 0
	}
	return r.UseBy.Unix() / 60
}

// newBoardRow is a lot at the hour of the handle. Frozen fish is folded away where it lies in a freezer.
func newBoardRow(p page, b boardQuery, place lot.Place, r kitchen.Row, booked []kitchen.LotReservation) boardRow {
	frozen := r.FrozenStatus != nil && r.FrozenStatus.InFreezer()
	v := boardRow{Row: r, Place: place.Name, Spell: r.ServedAt(b.At), Group: "use",
		Subject: drawing.Subject{Figure: r.Species.Figure, Form: r.Form, Frozen: r.Frozen}}
	switch {
	case frozen && place.Freezer():
		v.Group = "frozen"
	case r.ServedAt(p.Now).Serving == assess.ServeNone:
		v.Group = "wait"
	}
	v.Word, v.Why = servingWord(v.Spell.Serving), v.Spell.Why
	switch {
	case frozen:
		v.Spell = assess.Spell{Serving: assess.ServeNone}
		v.Word, v.Why = "Frozen", "cook after thawing"
		if r.FrozenStatus.RawReady {
			v.Why = "raw after thawing"
		}
	case v.Word == "":
		v.Word = "No"
	}
	v.Note = p.note(r)
	v.By = "—"
	switch {
	case frozen && r.FrozenStatus.BestBefore != nil:
		v.By = r.FrozenStatus.BestBefore.In(p.Zone).Format("2 Jan 06")
	case !frozen && !r.UseBy.IsZero():
		v.By = p.day(r.UseBy)
		v.Pale = r.UseBy.Before(b.At)
		v.Beyond = p.AxisAt(r.UseBy) >= axisWidth
	}
	for _, x := range booked {
		if v.Booked == nil {
			v.Booked = &booking{}
		}
		v.Booked.add(p, x)
	}
	v.draw(p)
	v.Hidden = !b.shows(v)
	return v
}

// add adds a reservation.
func (b *booking) add(p page, x kitchen.LotReservation) {
	if b.Words != "" {
		b.Words += "; "
	}
	b.Words += fmt.Sprintf("%d plates %s: %s", x.Plates, p.When(x.At), x.Dish)
	b.Plates += x.Plates
	b.Fell = b.Fell || x.Against != ""
	b.Marks = append(b.Marks, bookedMark{p.AxisAt(x.At), x.Against != ""})
}

// note is what else there is to know of a lot on the board; "" for nothing.
func (p page) note(r kitchen.Row) string {
	switch f := r.FrozenStatus; {
	case r.Histamine == "warn":
		return fmt.Sprintf("histamine %.0f %%", 100*r.HistamineShare)
	case f != nil && f.Stage == assess.StageThawing && f.ReadyAt != nil:
		return "ready " + p.When(*f.ReadyAt)
	case r.AgeingStatus != nil && r.AgeingStatus.Goal() != nil:
		return "take out " + p.When(*r.AgeingStatus.Goal())
	case r.AgeingStatus != nil && r.AgeingStatus.DownAt == nil:
		return "ageing"
	}
	return ""
}

// day is a time today or in the next days by its clock, else its day.
func (p page) day(at time.Time) string {
	if at.Sub(p.Now) < 6*24*time.Hour {
		return p.When(at)
	}
	return at.In(p.Zone).Format("Mon 2 Jan")
}

// onTape writes the end of a spell as it is read days later: the day even where it is today.
func (p page) onTape(at time.Time) string {
	if at.Sub(p.Now) < 6*24*time.Hour {
		return at.In(p.Zone).Format("Mon 15:04")
	}
	return p.day(at)
}

// draw lays out the bar: what it may be served as, and at the end of its life its band, melting
// away.
func (v *boardRow) draw(p page) {
	r := v.Row
	if r.UseBy.IsZero() || v.Group == "frozen" {
		v.NoBar = true
		return
	}
	end := p.AxisAt(r.UseBy)
	solid, soft := end, end
	v.Mean = end
	if r.Known() && r.AgeingStatus == nil && r.LifeEnds() { // that has a band
		band := freshness.Age{SD: r.SdDays}.Band()
		solid, soft = min(end, axis((r.LeftNow-band) / *r.Rate)), max(end, axis((r.LeftNow+band) / *r.Rate))
	}
	for i, s := range r.Outlook {
		to := solid
		if i+1 < len(r.Outlook) {
			to = min(solid, p.AxisAt(r.Outlook[i+1].From))
		}
		b := bar{X: p.AxisAt(s.From), To: to, Class: string(s.Serving)}
		if s.Serving == assess.ServeNone || b.Width() <= 0 {
			continue
		}
		if b.Width() > wordRoom {
			b.Label = strings.ToLower(servingWord(s.Serving))
		}
		v.Bars = append(v.Bars, b)
	}
	if soft > solid {
		v.Bars = append(v.Bars, bar{X: solid, To: soft, Class: "soft"})
	}
}

func (s *Server) boardView(ctx context.Context, p page, b boardQuery) (boardView, error) {
	board, err := s.kitchen.Board(ctx)
	if err != nil {
		return boardView{}, err
	}
	booked, err := s.kitchen.ReservedLots(ctx)
	if err != nil {
		return boardView{}, err
	}
	v := boardView{boardQuery: b, p: p, Mark: board.Mark, Lots: len(board.Rows), Hour: p.AxisAt(b.At), Days: p.boardDays()}
	var rows []boardRow
	for _, r := range board.Rows {
		rows = append(rows, newBoardRow(p, b, board.Places[r.PlaceID], r, booked[r.LotID]))
	}
	v.count(rows)
	if b.View == "table" {
		v.Table, v.Columns = sortedTable(p, b, rows)
		return v, nil
	}
	v.group(rows)
	return v, nil
}

// count fills in the hours and the uses, with their kilos, and the species.
func (v *boardView) count(rows []boardRow) {
	p := v.p
	hours := append([]time.Time{p.Now}, p.services()...)
	for i, at := range hours[:min(4, len(hours))] {
		h := boardHour{Name: "Now", At: at, Minute: at.Unix() / 60, Href: v.with(p, "at", ""), Now: at.Equal(v.At)}
		if i > 0 {
			h.Name, h.Href = p.When(at), v.with(p, "at", p.Local(at))
		}
		for _, r := range rows {
			if r.Group != "frozen" && r.ServedAt(at).Serving == assess.ServeRaw {
				h.RawKg += r.WeightKg
			}
		}
		v.Hours = append(v.Hours, h)
	}
	v.Uses = []boardUse{{Name: "All"}, {ID: "raw", Name: "Raw"}, {ID: "cook", Name: "Cook"}}
	for i := range v.Uses {
		u := &v.Uses[i]
		u.Href, u.Now = v.with(p, "for", u.ID), u.ID == v.For
		for _, r := range rows {
			if (v.Species == "" || v.Species == r.Row.Species.ID) && (u.ID == "" || r.serves(u.ID)) {
				u.Lots++
				u.Kg += r.WeightKg
			}
		}
	}
	for _, r := range rows {
		o := form.Option{ID: r.Row.Species.ID, Name: r.Row.Species.Name, Chosen: r.Row.Species.ID == v.Species}
		if !slices.Contains(v.Kinds, o) {
			v.Kinds = append(v.Kinds, o)
		}
	}
	slices.SortFunc(v.Kinds, func(a, b form.Option) int { return strings.Compare(a.Name, b.Name) })
}

// group parts the rows: what is frozen lies folded at the end; of the rest by place, or what may be
// used in the order of its end, then what something has to happen to first.
func (v *boardView) group(rows []boardRow) {
	v.Frozen = boardGroup{ID: "frozen", Name: "Frozen"}
	groups := map[string]*boardGroup{}
	var order []string
	into := func(id, name, note string, r boardRow) {
		if groups[id] == nil {
			groups[id] = &boardGroup{ID: id, Name: name, Note: note}
			order = append(order, id)
		}
		groups[id].add(r)
	}
	if v.View == "first" {
		order, groups["use"] = []string{"use"}, &boardGroup{ID: "use"}
	}
	for _, r := range rows {
		switch {
		case r.Group == "frozen":
			v.Frozen.add(r)
		case v.View == "place":
			r.Group = "place-" + strconv.FormatInt(r.PlaceID, 10)
			into(r.Group, r.Place, "", r)
		case r.Group == "wait":
			into("wait", "Not to be served", "something has to happen first", r)
		default:
			into("use", "", "", r)
		}
	}
	for _, id := range order {
		if len(groups[id].Rows) > 0 {
			v.Groups = append(v.Groups, *groups[id])
		}
	}
}

// boardDays are the marks of the axis: the quarters of the first day by the clock, then midnights,
// those of the second week without a word where there is no room.
func (p page) boardDays() []tick {
	var list []tick
	local := p.Now.In(p.Zone)
	midnight := func(day, h int) time.Time {
		return time.Date(local.Year(), local.Month(), local.Day()+day, h, 0, 0, 0, p.Zone)
	}
	for h := 0; h < 48; h += 6 {
		if at := midnight(0, h); at.After(p.Now) && at.Sub(p.Now) < 23*time.Hour {
			list = append(list, tick{X: p.AxisAt(at), Label: at.Format("15")})
			if at.Hour() == 0 {
				list[len(list)-1].Label = at.Format("Mon")
			}
		}
	}
	for day := 1; day < int(axisDays); day++ {
		at := midnight(day, 0)
		if at.Sub(p.Now) < 25*time.Hour {
			continue
		}
		t := tick{X: p.AxisAt(at)}
		switch {
		case day <= 5:
			t.Label = at.Format("Mon")
		case day%3 == 1:
			t.Label = at.Format("2 Jan")
		}
		list = append(list, t)
	}
	return list
}

// boardColumn is a column of the table, which sorts it.
type boardColumn struct {
	Name, Href string
	Now        bool // the table is sorted by it
	Number     bool
	less       func(a, b boardRow) int
}

// sortedTable are the rows as a table, by the column that is asked for.
func sortedTable(p page, b boardQuery, rows []boardRow) ([]boardRow, []boardColumn) {
	text := func(of func(boardRow) string) func(a, b boardRow) int {
		return func(a, b boardRow) int { return strings.Compare(of(a), of(b)) }
	}
	rank := map[assess.Serving]int{assess.ServeRaw: 0, assess.ServeCook: 1, assess.ServeNone: 2}
	number := func(of func(boardRow) float64) func(a, b boardRow) int {
		return func(a, b boardRow) int { return cmp.Compare(of(a), of(b)) }
	}
	columns := []boardColumn{
		{Name: "Use by"},
		{Name: "Species", less: text(func(r boardRow) string { return r.Row.Species.Name })},
		{Name: "Lot", less: text(func(r boardRow) string { return r.Code })},
		{Name: "Place", less: text(func(r boardRow) string { return r.Place })},
		{Name: "Weight", Number: true, less: number(func(r boardRow) float64 { return -r.WeightKg })},
		{Name: "Temperature", Number: true, less: number(func(r boardRow) float64 { return -r.NowC })},
		{Name: "Fresh days spent", Number: true, less: number(func(r boardRow) float64 { return -r.UsedDays })},
		{Name: "Fresh days left", Number: true, less: number(func(r boardRow) float64 { return r.LeftNow })},
		{Name: "Fit for", less: func(a, b boardRow) int { return rank[a.Spell.Serving] - rank[b.Spell.Serving] }},
	}
	for i := range columns {
		c := &columns[i]
		id := ""
		if c.less != nil {
			id = strings.ReplaceAll(strings.ToLower(c.Name), " ", "_")
		}
		c.Href = b.with(p, "sort", id)
		if c.Now = id == b.Sort; c.Now && c.less != nil {
			slices.SortStableFunc(rows, c.less)
		}
	}
	return slices.DeleteFunc(rows, func(r boardRow) bool { return r.Hidden }), columns
}

// boardPart renders the board, or takes the one that was made for the same version, minute, scales
// and address.
func (s *Server) boardPart(c *gin.Context, p page) (renderedPart, error) {
	b := newBoardQuery(p, c.Request.URL.Query())
	form := fmt.Sprint(b.with(p, "sort", b.Sort), p.Writes(), p.Actor.Temps(), p.Actor.Masses())
	return s.renderedPart(c, p, "board", form, func(ctx context.Context) (template.HTML, error) {
		v, err := s.boardView(ctx, p, b)
		if err != nil {
			return "", err
		}
		p.Data = v
		return s.part("board", "rows", p)
	})
}

// part renders a partial of a view.
func (s *Server) part(view, name string, p page) (template.HTML, error) {
	var out bytes.Buffer
	err := s.views[view].ExecuteTemplate(&out, name, p)
	return template.HTML(out.String()), err
}

func (s *Server) board(c *gin.Context) {
	p := s.page(c, "Board", "board", nil)
	part, err := s.boardPart(c, p)
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = part.html
	s.show(c, http.StatusOK, "board", p)
}

// boardRows sends the board alone; with ?since= a mark of an earlier answer, only the rows that were
// written since, and those that are gone.
func (s *Server) boardRows(c *gin.Context) {
	p := s.page(c, "Board", "board", nil)
	part := s.boardPart
	if c.Query("since") != "" {
		part = s.boardChanges
	}
	made, err := part(c, p)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.sendPart(c, made)
}

// boardChanges renders the rows that were written since a mark.
func (s *Server) boardChanges(c *gin.Context, p page) (renderedPart, error) {
	b := newBoardQuery(p, c.Request.URL.Query())
	since, err := strconv.ParseInt(c.Query("since"), 10, 64)
	if err != nil {
		return renderedPart{}, kitchen.ErrNotFound
	}
	form := fmt.Sprint(since, b.with(p, "sort", b.Sort), p.Writes(), p.Actor.Temps(), p.Actor.Masses())
	return s.renderedPart(c, p, "board-since", form, func(ctx context.Context) (template.HTML, error) {
		board, err := s.kitchen.BoardSince(ctx, since)
		if err != nil {
			return "", err
		}
		booked, err := s.kitchen.ReservedLots(ctx)
		if err != nil {
			return "", err
		}
		v := boardChangesView{Mark: board.Mark}
		for _, r := range board.Rows {
			if !r.IsOnHand() {
				v.Gone = append(v.Gone, r.Code)
				continue
			}
			row := newBoardRow(p, b, board.Places[r.PlaceID], r, booked[r.LotID])
			if b.View == "place" && row.Group != "frozen" {
				row.Group = "place-" + strconv.FormatInt(r.PlaceID, 10)
			}
			v.Rows = append(v.Rows, row)
		}
		p.Data = v
		return s.part("board", "changes", p)
	})
}

// boardChangesView is what is new on a board.
type boardChangesView struct {
	Mark int64
	Rows []boardRow
	Gone []string
}

// Fish is the address of the row's picture.
func (r boardRow) Fish(version string) string {
	return fmt.Sprintf("/draw/%s/all.svg?show=&v=%s", r.Subject, version)
}
