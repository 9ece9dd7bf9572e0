package web

import (
	_ "embed"
	"encoding/csv"
	"encoding/json"
	"errors"
	"io"
	"math"
	"mime"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"golang.org/x/time/rate"

	"leancatch/internal/core/access"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

//go:embed openapi.json
var openAPI []byte

// maxAPIBody bounds the body of an API request.
const maxAPIBody = 16 << 20

// limitAPI bounds what a program may send at once.
func limitAPI(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxAPIBody)
}

// limiter bounds how often one address may call the calculators.
type limiter struct {
	mu   sync.Mutex
	seen map[string]*rate.Limiter
}

// Calls a second, and at once, of the calculators from one address.
const (
	calcRate  = 50
	calcBurst = 200
)

func newLimiter() *limiter { return &limiter{seen: map[string]*rate.Limiter{}} }

// then calls a handler where the address has not called too often.
func (l *limiter) then(handle gin.HandlerFunc) gin.HandlerFunc {
	return func(c *gin.Context) {
		if l.allow(c) {
			handle(c)
		}
	}
}

func (l *limiter) allow(c *gin.Context) bool {
	host := address(c)
	l.mu.Lock()
	if len(l.seen) > 10000 {
		clear(l.seen)
	}
	one, ok := l.seen[host]
	if !ok {
		one = rate.NewLimiter(calcRate, calcBurst)
		l.seen[host] = one
	}
	l.mu.Unlock()
	if !one.Allow() {
		c.Header("Retry-After", "1")
		apiProblem(c, http.StatusTooManyRequests, "too many calls: wait a second", nil)
		return false
	}
	return true
}

// problemDetails are those of RFC 9457.
type problemDetails struct {
	Type   string         `json:"type"`
	Title  string         `json:"title"`
	Status int            `json:"status"`
	Detail string         `json:"detail"`
	Errors invalid.Errors `json:"errors,omitempty"`
}

func apiProblem(c *gin.Context, status int, detail string, fields invalid.Errors) {
	body, _ := json.Marshal(problemDetails{"about:blank", http.StatusText(status), status, detail, fields})
	c.Data(status, "application/problem+json", body)
}

func apiJSON(c *gin.Context, status int, v any) {
	body, err := json.Marshal(v)
	if err != nil {
		apiProblem(c, http.StatusInternalServerError, "the answer could not be written", nil)
		return
	}
	writeCompressed(c, status, "application/json", body)
}

// apiFail answers an error with problem details.
func (s *Server) apiFail(c *gin.Context, err error) {
	var fields invalid.Errors
	var changed *kitchen.Changed
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &fields):
		apiProblem(c, http.StatusUnprocessableEntity, "some fields are wrong", fields)
	case errors.As(err, &changed):
		apiProblem(c, http.StatusConflict, changed.Error(), nil)
	case errors.As(err, &tooLarge):
		apiProblem(c, http.StatusRequestEntityTooLarge, "the body is too large", nil)
	case errors.Is(err, errBadBody), errors.Is(err, intake.ErrSenML):
		apiProblem(c, http.StatusBadRequest, err.Error(), nil)
	case store.IsUnstorable(err):
		apiProblem(c, http.StatusUnprocessableEntity, "there is a character or a number in it that cannot be kept", nil)
	case errors.Is(err, kitchen.ErrNotFound):
		apiProblem(c, http.StatusNotFound, "there is nothing here", nil)
	case errors.Is(err, kitchen.ErrRight), errors.Is(err, kitchen.ErrManager):
		apiProblem(c, http.StatusForbidden, err.Error(), nil)
	default:
		s.log.Error("request failed", "path", c.Request.URL.Path, "error", err)
		apiProblem(c, http.StatusInternalServerError, "something broke here; nothing was stored", nil)
	}
}

var errBadBody = errors.New("the body cannot be read")

// bindJSON reads a body into v. Unknown fields are refused.
func bindJSON(c *gin.Context, v any) error {
	d := json.NewDecoder(c.Request.Body)
	d.DisallowUnknownFields()
	if err := d.Decode(v); err != nil {
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			return err
		}
		var fields invalid.Errors
		if errors.As(err, &fields) {
			return fields
		}
		var kind *json.UnmarshalTypeError
		if errors.As(err, &kind) && kind.Field != "" {
			return invalid.Errors{{Field: kind.Field, Message: "is not a " + kind.Type.String()}}
		}
		if name, ok := strings.CutPrefix(err.Error(), "json: unknown field "); ok {
			return invalid.Errors{{Field: strings.Trim(name, `"`), Message: "is not a field of this request"}}
		}
		return errors.Join(errBadBody, err)
	}
	if d.More() {
		return errBadBody
	}
	return nil
}

// guardAPI finds out who calls, by the token or by the session of a browser, and
// lets through who has the right.
func (s *Server) guardAPI(right access.Right) gin.HandlerFunc {
	return func(c *gin.Context) {
		a, err := s.caller(c)
		switch {
		case errors.Is(err, kitchen.ErrNoActor):
			c.Header("WWW-Authenticate", `Bearer realm="leancatch"`)
			apiProblem(c, http.StatusUnauthorized, "send a token that is in force: Authorization: Bearer …", nil)
			c.Abort()
			return
		case err != nil:
			s.apiFail(c, err)
			c.Abort()
			return
		}
		c.Request = c.Request.WithContext(kitchen.WithActor(c.Request.Context(), a))
		if !a.May(right) {
			s.recordAudit(c, kitchen.ActRefused, c.Request.Method+" "+c.FullPath())
			apiProblem(c, http.StatusForbidden, "this is not among what this token may do", nil)
			c.Abort()
		}
	}
}

// caller is who calls: by a token, or by the session of a browser, which names
// the kitchen as ?site= where it has several.
func (s *Server) caller(c *gin.Context) (kitchen.Actor, error) {
	if token, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer "); ok {
		return s.kitchen.ActorOfToken(c.Request.Context(), strings.TrimSpace(token))
	}
	secret := s.cookie(c, sessionCookie)
	slug := c.Query("site")
	if slug == "" && secret != "" {
		sites, err := s.kitchen.SitesOf(c.Request.Context(), secret)
		if err != nil || len(sites) != 1 {
			return kitchen.Actor{}, errors.Join(err, kitchen.ErrNoActor)
		}
		slug = sites[0].Slug
	}
	a, err := s.kitchen.ActorOfSession(c.Request.Context(), secret, slug)
	if a.SignIn.Quiet {
		err = kitchen.ErrNoActor
	}
	return a, err
}

// apiLot is a lot as programs see it.
type apiLot struct {
	ID           uuid.UUID  `json:"id"`
	Code         string     `json:"code"`
	Species      string     `json:"species"`
	Form         string     `json:"form"`
	Frozen       bool       `json:"frozen"`
	Count        int64      `json:"count"`
	WeightKg     float64    `json:"weight_kg"`
	PlaceID      int64      `json:"place_id"`
	SupplierID   int64      `json:"supplier_id"`
	DocketID     uuid.UUID  `json:"docket_id"`
	Status       string     `json:"status"`
	Hold         *string    `json:"hold"`
	Stops        []string   `json:"stops"`
	ReceivedAt   time.Time  `json:"received_at"`
	Seq          int64      `json:"seq"`
	AsOf         time.Time  `json:"as_of"`
	Basis        string     `json:"basis"`
	IceDaysUsed  *float64   `json:"ice_days_used"`
	IceDaysLeft  *float64   `json:"ice_days_left"`
	SD           *float64   `json:"sd"`
	LifeLeftDays *float64   `json:"life_left_days"`
	LifeEndsAt   *time.Time `json:"life_ends_at"`
	Celsius      float64    `json:"celsius_now"`
	CelsiusBasis string     `json:"celsius_now_basis"`
	AgeGap       *float64   `json:"age_gap"`
	Decision     *string    `json:"decision"`
	Fitness      []lot.Use  `json:"fitness"`
	Histamine    *string    `json:"histamine"`       // the state of the clock; null for other species
	BudgetShare  *float64   `json:"histamine_share"` // of the budget that is used most
	Pack         *string    `json:"pack"`            // null where nobody said
	Oxygen       *string    `json:"oxygen"`          // the state of the reduced-oxygen clock; null where none runs
	OxygenShare  *float64   `json:"oxygen_share"`    //
}

func lotForAPI(r kitchen.Row) apiLot {
	out := apiLot{ID: r.LotID, Code: r.Code, Species: r.Species.ID, Form: r.Form, Frozen: r.Frozen, Count: r.Count, WeightKg: r.WeightKg, PlaceID: r.PlaceID,
		SupplierID: r.SupplierID, DocketID: r.DocketID, Status: r.Status, Stops: r.Stops, ReceivedAt: r.ReceivedAt, Seq: r.Seq, AsOf: r.AsOf, Basis: r.Basis,
		Celsius: r.NowC, CelsiusBasis: r.NowKind, AgeGap: r.Gap, Fitness: r.Uses}
	if r.Hold != "" {
		out.Hold = &r.Hold
	}
	if r.Decision != "" {
		out.Decision = &r.Decision
	}
	if r.Histamine != "" {
		out.Histamine, out.BudgetShare = &r.Histamine, &r.HistamineShare
	}
	if r.Pack != "" {
		out.Pack = &r.Pack
	}
	if r.Oxygen != "" {
		out.Oxygen, out.OxygenShare = &r.Oxygen, &r.OxygenShare
	}
	if r.Known() {
		used := r.ShelfDays - r.LeftNow
		if r.LeftNow == 0 {
			used = r.UsedDays
		}
		out.IceDaysUsed, out.IceDaysLeft, out.SD, out.LifeLeftDays, out.LifeEndsAt = &used, &r.LeftNow, &r.SdDays, &r.RealDays, &r.Ends
	}
	return out
}

func (s *Server) apiLots(c *gin.Context) {
	rows, err := s.kitchen.Find(c.Request.Context(), c.Query("q"), c.Query("on_hand") == "true")
	if err != nil {
		s.apiFail(c, err)
		return
	}
	lots := make([]apiLot, len(rows))
	for i, r := range rows {
		lots[i] = lotForAPI(r)
	}
	apiJSON(c, http.StatusOK, map[string]any{"lots": lots})
}

// lotID reads the lot of the address; it answers 404 where that is not an id.
func (s *Server) lotID(c *gin.Context) (uuid.UUID, bool) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		s.apiFail(c, kitchen.ErrNotFound)
	}
	return id, err == nil
}

func (s *Server) apiLot(c *gin.Context) {
	id, ok := s.lotID(c)
	if !ok {
		return
	}
	row, err := s.kitchen.Row(c.Request.Context(), id)
	if err != nil {
		s.apiFail(c, err)
		return
	}
	apiJSON(c, http.StatusOK, lotForAPI(row))
}

// apiEvent is an event as programs see it.
type apiEvent struct {
	ID         uuid.UUID       `json:"id"`
	Seq        int             `json:"seq"`
	Kind       lot.Kind        `json:"kind"`
	HappenedAt time.Time       `json:"happened_at"`
	RecordedAt time.Time       `json:"recorded_at"`
	PersonID   int64           `json:"person_id"`
	Person     string          `json:"person"`
	Approver   string          `json:"approver,omitempty"` // the manager who lent their word
	Data       json.RawMessage `json:"data"`
	PrevHash   string          `json:"prev_hash"`
	Hash       string          `json:"hash"`
}

func (s *Server) apiEvents(c *gin.Context) {
	id, ok := s.lotID(c)
	if !ok {
		return
	}
	card, err := s.kitchen.Card(c.Request.Context(), id)
	if err != nil {
		s.apiFail(c, err)
		return
	}
	events := make([]apiEvent, len(card.Entries))
	for i, e := range card.Entries {
		events[i] = apiEvent{e.ID, e.Seq, e.Kind, e.HappenedAt, e.RecordedAt, e.PersonID, e.Person, e.Approver, e.Data, hexText(e.PrevHash), hexText(e.Hash)}
	}
	apiJSON(c, http.StatusOK, map[string]any{"events": events})
}

func hexText(b []byte) string {
	const digits = "0123456789abcdef"
	var t strings.Builder
	for _, x := range b {
		t.WriteByte(digits[x>>4])
		t.WriteByte(digits[x&15])
	}
	return t.String()
}

// apiAppend adds an event. Receipts come in as dockets, not here; of an
// inspection only what was seen and decided is taken, the rest is computed.
func (s *Server) apiAppend(c *gin.Context) {
	id, ok := s.lotID(c)
	if !ok {
		return
	}
	var in struct {
		ID         uuid.UUID       `json:"id"`
		Kind       lot.Kind        `json:"kind"`
		HappenedAt time.Time       `json:"happened_at"`
		Seen       int             `json:"seen"`
		Data       json.RawMessage `json:"data"`
	}
	if err := bindJSON(c, &in); err != nil {
		s.apiFail(c, err)
		return
	}
	err := s.apiWrite(c, id, in.ID, in.Kind, in.HappenedAt, in.Seen, in.Data)
	if err != nil {
		s.apiFail(c, err)
		return
	}
	row, err := s.kitchen.Row(c.Request.Context(), id)
	if err != nil {
		s.apiFail(c, err)
		return
	}
	apiJSON(c, http.StatusCreated, lotForAPI(row))
}

func (s *Server) apiWrite(c *gin.Context, lotID, id uuid.UUID, kind lot.Kind, at time.Time, seen int, data []byte) error {
	switch kind {
	case lot.KindReceived, lot.KindSplit, lot.KindSplitFrom, lot.KindPhoto, lot.KindReviewed:
		return invalid.Errors{{Field: "kind", Message: "lots are received, split, photographed and reviewed on their screens"}}
	}
	if kind == lot.KindInspected {
		var in struct {
			Scheme   string             `json:"scheme"`
			Fish     []freshness.Fish   `json:"fish"`
			Decision freshness.Decision `json:"decision"`
			Reason   string             `json:"reason"`
		}
		if err := json.Unmarshal(data, &in); err != nil {
			return invalid.Errors{{Field: "data", Message: err.Error()}}
		}
		return s.kitchen.Inspect(c.Request.Context(), kitchen.Inspection{EventID: id, LotID: lotID, Seen: seen, At: at, Scheme: in.Scheme, Fish: in.Fish, Decision: in.Decision, Reason: in.Reason})
	}
	payload, err := lot.Decode(kind, data)
	if err != nil {
		return invalid.Errors{{Field: "data", Message: err.Error()}}
	}
	return s.kitchen.Append(c.Request.Context(), kitchen.Write{EventID: id, LotID: lotID, Seen: seen, HappenedAt: at, Payload: payload})
}

// apiPlace is a place as programs see it.
type apiPlace struct {
	ID         int64      `json:"id"`
	Name       string     `json:"name"`
	Kind       string     `json:"kind"`
	SetCelsius float64    `json:"set_celsius"`
	Probe      *string    `json:"probe"`
	Celsius    *float64   `json:"celsius"`
	At         *time.Time `json:"at"`
	Lots       int        `json:"lots"`
	LotsKg     float64    `json:"lots_kg"`
	CapacityKg *float64   `json:"capacity_kg"` // null where nobody said
	Holds      lot.Holds  `json:"holds"`
	WarmC      *float64   `json:"warm_limit_celsius"`     // null where there is none
	FreezingC  *float64   `json:"freezing_limit_celsius"` //
	Alarms     int        `json:"alarms"`                 // that last, or wait for an action
	IceKg      *float64   `json:"ice_left_kg"`            // null for what is no box
	MeltKgH    *float64   `json:"melt_kg_per_hour"`       //
	TopUpAt    *time.Time `json:"ice_top_up_at"`          // null where there is no ice
	IceGoneAt  *time.Time `json:"ice_gone_at"`            //
}

func (s *Server) apiPlaces(c *gin.Context) {
	places, err := s.kitchen.Places(c.Request.Context())
	if err != nil {
		s.apiFail(c, err)
		return
	}
	out := make([]apiPlace, len(places))
	for i, p := range places {
		out[i] = apiPlace{ID: p.ID, Name: p.Name, Kind: p.Kind, SetCelsius: p.SetC, Lots: p.LotCount, LotsKg: p.LotKg, CapacityKg: p.CapacityKg, Holds: p.Holds,
			WarmC: finite(p.Rules.WarmC), FreezingC: finite(p.Rules.FreezingC), Alarms: len(p.Alarms)}
		if p.Probe != nil {
			out[i].Probe = &p.Probe.Name
		}
		if p.Latest != nil {
			out[i].Celsius, out[i].At = &p.Latest.Celsius, &p.Latest.At
		}
		if p.Box != nil {
			left := p.Ice.Left(s.kitchen.Now())
			out[i].IceKg, out[i].MeltKgH = &left, &p.Ice.MeltPerHour
			if !p.Ice.RunsOut.IsZero() {
				out[i].TopUpAt, out[i].IceGoneAt = &p.Ice.TopUp, &p.Ice.RunsOut
			}
		}
	}
	apiJSON(c, http.StatusOK, map[string]any{"places": out})
}

// finite is a pointer to a number, nil where it is none.
func finite(v float64) *float64 {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return &v
}

// apiExposure integrates a lot's temperatures over a span: from and to in RFC 3339.
func (s *Server) apiExposure(c *gin.Context) {
	id, ok := s.lotID(c)
	if !ok {
		return
	}
	var bad invalid.Errors
	read := func(field string) time.Time {
		at, err := time.Parse(time.RFC3339, c.Query(field))
		if err != nil {
			bad.Add(field, "is not an RFC 3339 time")
		}
		return at
	}
	span := coldchain.Span{From: read("from"), To: read("to")}
	if err := bad.Err(); err != nil {
		s.apiFail(c, err)
		return
	}
	x, err := s.kitchen.Exposure(c.Request.Context(), id, span)
	if err != nil {
		s.apiFail(c, err)
		return
	}
	hours := map[coldchain.Kind]float64{}
	for _, st := range x.Stretches {
		for _, p := range st.Parts {
			hours[p.Kind] += p.Exposure.Covered.Hours()
		}
	}
	out := map[string]any{"from": span.From, "to": span.To, "model": x.Model, "ice_days": x.Total.IceDays(x.Model), "hours": hours,
		"hours_above_4_4": x.Total.HoursAbove(4.4), "hours_above_21_1": x.Total.HoursAbove(21.1), "min_celsius": nil, "max_celsius": nil, "mean_celsius": nil}
	if x.Total.Covered > 0 {
		out["min_celsius"], out["max_celsius"], out["mean_celsius"] = x.Total.Min, x.Total.Max, x.Total.Mean()
	}
	apiJSON(c, http.StatusOK, out)
}

// apiAlarm is an alarm as programs see it.
type apiAlarm struct {
	ID       uuid.UUID        `json:"id"`
	Kind     string           `json:"kind"`
	PlaceID  int64            `json:"place_id"`
	Place    string           `json:"place"`
	Probe    string           `json:"probe"`
	Since    time.Time        `json:"since"`
	RaisedAt time.Time        `json:"raised_at"`
	EndedAt  *time.Time       `json:"ended_at"` // null while it lasts
	WorstC   float64          `json:"worst_celsius"`
	Stops    bool             `json:"safety_stop"`
	Actions  []apiAlarmAction `json:"actions"`
}

type apiAlarmAction struct {
	At     time.Time `json:"at"`
	Person string    `json:"person"`
	Action string    `json:"action"`
	Note   string    `json:"note"`
}

// alarmsBack is how far back the alarms are listed.
const alarmsBack = 30 * 24 * time.Hour

func (s *Server) apiAlarms(c *gin.Context) {
	list, err := s.kitchen.Alarms(c.Request.Context(), s.kitchen.Now().Add(-alarmsBack))
	if err != nil {
		s.apiFail(c, err)
		return
	}
	out := make([]apiAlarm, len(list))
	for i, a := range list {
		out[i] = apiAlarm{ID: a.ID, Kind: a.Kind, PlaceID: a.PlaceID, Place: a.Place, Probe: a.Probe, Since: a.Since, RaisedAt: a.RaisedAt, EndedAt: a.EndedAt, WorstC: a.WorstC, Stops: a.Stops, Actions: []apiAlarmAction{}}
		for _, x := range a.Actions {
			out[i].Actions = append(out[i].Actions, apiAlarmAction(x))
		}
	}
	apiJSON(c, http.StatusOK, map[string]any{"alarms": out})
}

// apiReadings takes readings in: SenML JSON, or CSV with the columns probe, at
// and celsius.
func (s *Server) apiReadings(c *gin.Context) {
	media, _, _ := mime.ParseMediaType(c.GetHeader("Content-Type"))
	var list []intake.Measurement
	var err error
	switch media {
	case "application/senml+json", "application/json":
		list, err = intake.ParseSenML(c.Request.Body, s.kitchen.Now())
	case "text/csv":
		list, err = readingsCSV(c.Request.Body)
	default:
		apiProblem(c, http.StatusUnsupportedMediaType, "send application/senml+json or text/csv", nil)
		return
	}
	if err != nil {
		s.apiFail(c, err)
		return
	}
	got, err := s.kitchen.PutMeasurements(c.Request.Context(), list)
	if err != nil {
		s.apiFail(c, err)
		return
	}
	apiJSON(c, http.StatusOK, got)
}

// readingsCSV reads lines of probe, at (RFC 3339) and celsius below a heading.
func readingsCSV(r io.Reader) ([]intake.Measurement, error) {
	rows := csv.NewReader(r)
	rows.FieldsPerRecord = 3
	rows.ReuseRecord = true
	var list []intake.Measurement
	for line := 1; ; line++ {
		row, err := rows.Read()
		if errors.Is(err, io.EOF) {
			return list, nil
		} else if err != nil {
			return nil, errors.Join(errBadBody, err)
		}
		if line == 1 {
			if row[0] != "probe" || row[1] != "at" || row[2] != "celsius" {
				return nil, invalid.Errors{{Field: "line 1", Message: "the heading must be probe,at,celsius"}}
			}
			continue
		}
		at, err := time.Parse(time.RFC3339, row[1])
		if err != nil {
			return nil, invalid.Errors{{Field: "line " + strconv.Itoa(line), Message: "at is not an RFC 3339 time"}}
		}
		celsius, err := strconv.ParseFloat(row[2], 64)
		if err != nil {
			return nil, invalid.Errors{{Field: "line " + strconv.Itoa(line), Message: "celsius is not a number"}}
		}
		list = append(list, intake.Measurement{Name: row[0], Unit: "Cel", Value: celsius, At: at})
	}
}
