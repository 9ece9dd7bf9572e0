package api

import (
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/httpx"
	"leancatch/internal/kitchen"
)

// lotOut is a lot as programs see it.
type lotOut struct {
	ID           uuid.UUID    `json:"id"`
	Code         string       `json:"code"`
	Species      string       `json:"species"`
	Form         string       `json:"form"`
	Frozen       bool         `json:"frozen"`
	Count        int64        `json:"count"`
	WeightKg     float64      `json:"weight_kg"`
	PlaceID      int64        `json:"place_id"`
	SupplierID   int64        `json:"supplier_id"`
	DocketID     uuid.UUID    `json:"docket_id"`
	Status       string       `json:"status"`
	Hold         *string      `json:"hold"`
	Stops        []string     `json:"stops"`
	ReceivedAt   time.Time    `json:"received_at"`
	Seq          int64        `json:"seq"`
	AsOf         time.Time    `json:"as_of"`
	Basis        string       `json:"basis"`
	IceDaysUsed  *float64     `json:"ice_days_used"`
	IceDaysLeft  *float64     `json:"ice_days_left"`
	SD           *float64     `json:"sd"`
	LifeLeftDays *float64     `json:"life_left_days"`
	LifeEndsAt   *time.Time   `json:"life_ends_at"`
	Celsius      float64      `json:"celsius_now"`
	CelsiusBasis string       `json:"celsius_now_basis"`
	AgeGap       *float64     `json:"age_gap"`
	Decision     *string      `json:"decision"`
	Fitness      []assess.Use `json:"fitness"`
	Histamine    *string      `json:"histamine"`       // the state of the clock; null for other species
	BudgetShare  *float64     `json:"histamine_share"` // of the budget that is used most
	Pack         *string      `json:"pack"`            // null where nobody said
	Oxygen       *string      `json:"oxygen"`          // the state of the reduced-oxygen clock; null where none runs
	OxygenShare  *float64     `json:"oxygen_share"`    //
}

func lotForAPI(r kitchen.Row) lotOut {
	out := lotOut{ID: r.LotID, Code: r.Code, Species: r.Species.ID, Form: r.Form, Frozen: r.Frozen, Count: r.Count,
		WeightKg: r.WeightKg, PlaceID: r.PlaceID,
		SupplierID: r.SupplierID, DocketID: r.DocketID, Status: r.Status, Stops: r.Stops, ReceivedAt: r.ReceivedAt,
		Seq: r.Seq, AsOf: r.AsOf, Basis: r.Basis,
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
		used := r.UsedDays + r.LeftDays - r.LeftNow
		out.IceDaysUsed, out.IceDaysLeft, out.SD, out.LifeLeftDays, out.LifeEndsAt = &used, &r.LeftNow, &r.SdDays,
			&r.RealDays, &r.Ends
	}
	return out
}

// Lots of a page, where the request names no number, and at most.
const (
	usualLots = 200
	mostLots  = 1000
)

// lots answers a page of lots. next is the place of the last one, for the page after it.
func (a *API) lots(c *gin.Context) {
	q := kitchen.LotQuery{Text: c.Query("q"), OnHand: c.Query("on_hand") == "true", Limit: usualLots}
	var bad invalid.Errors
	if text := c.Query("limit"); text != "" {
		var err error
		if q.Limit, err = strconv.Atoi(text); err != nil || q.Limit < 1 || q.Limit > mostLots {
			bad.Add("limit", "must be between 1 and %d", mostLots)
		}
	}
	if text := c.Query("next"); text != "" {
		data, err := base64.RawURLEncoding.DecodeString(text)
		if err != nil || json.Unmarshal(data, &q.After) != nil || q.After.Code == "" {
			bad.Add("next", "is not one that was answered")
		}
	}
	if err := bad.Err(); err != nil {
		a.fail(c, err)
		return
	}
	page, err := a.kitchen.FindLots(c.Request.Context(), q)
	if err != nil {
		a.fail(c, err)
		return
	}
	out := struct {
		Lots  []lotOut `json:"lots"`
		Total int      `json:"total"`
		Next  *string  `json:"next"`
	}{make([]lotOut, len(page.Lots)), page.Total, nil}
	for i, r := range page.Lots {
		out.Lots[i] = lotForAPI(r)
	}
	if page.Next != nil {
		data, err := json.Marshal(page.Next)
		if err != nil {
			a.fail(c, err)
			return
		}
		next := base64.RawURLEncoding.EncodeToString(data)
		out.Next = &next
	}
	httpx.WriteJSON(c, http.StatusOK, out)
}

func (a *API) lot(c *gin.Context) {
	id, ok := a.lotID(c)
	if !ok {
		return
	}
	row, err := a.kitchen.Row(c.Request.Context(), id)
	if err != nil {
		a.fail(c, err)
		return
	}
	httpx.WriteJSON(c, http.StatusOK, lotForAPI(row))
}

// eventOut is an event as programs see it.
type eventOut struct {
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

func (a *API) events(c *gin.Context) {
	id, ok := a.lotID(c)
	if !ok {
		return
	}
	card, err := a.kitchen.Card(c.Request.Context(), id)
	if err != nil {
		a.fail(c, err)
		return
	}
	events := make([]eventOut, len(card.Entries))
	for i, e := range card.Entries {
		events[i] = eventOut{e.ID, e.Seq, e.Kind, e.HappenedAt, e.RecordedAt, e.PersonID, e.Person, e.Approver,
			e.Data, hex.EncodeToString(e.PrevHash), hex.EncodeToString(e.Hash)}
	}
	httpx.WriteJSON(c, http.StatusOK, map[string]any{"events": events})
}

// append adds an event. Receipts come in as deliveries, not here; of an
// inspection only what was seen and decided is taken, the rest is computed.
func (a *API) append(c *gin.Context) {
	id, ok := a.lotID(c)
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
	if err := httpx.BindJSON(c, &in); err != nil {
		a.fail(c, err)
		return
	}
	if err := a.write(c, id, in.ID, in.Kind, in.HappenedAt, in.Seen, in.Data); err != nil {
		a.fail(c, ofData(err))
		return
	}
	row, err := a.kitchen.Row(c.Request.Context(), id)
	if err != nil {
		a.fail(c, err)
		return
	}
	httpx.WriteJSON(c, http.StatusCreated, lotForAPI(row))
}

// ofData puts the errors of an event's data under data: all but those of the event
// itself.
func ofData(err error) error {
	var fields invalid.Errors
	if !errors.As(err, &fields) {
		return err
	}
	fields = slices.Clone(fields)
	for i, f := range fields {
		switch f.Field {
		case "id", "kind", "happened_at", "seen", "lot", "data":
		default:
			fields[i].Field = "data." + f.Field
		}
	}
	return fields
}

func (a *API) write(c *gin.Context, lotID, id uuid.UUID, kind lot.Kind, at time.Time, seen int, data []byte) error {
	if kind.OnScreenOnly() {
		return invalid.Errors{{Field: "kind",
			Message: "lots are received, split, photographed and reviewed on their screens"}}
	}
	if kind == lot.KindFor[lot.Inspected]() {
		var in inspectedIn
		if err := json.Unmarshal(data, &in); err != nil {
			return invalid.Errors{{Field: "data", Message: err.Error()}}
		}
		return a.kitchen.Inspect(c.Request.Context(),
			kitchen.Inspection{EventID: id, LotID: lotID, Seen: seen, At: at, Scheme: in.Scheme, Fish: in.Fish,
				Decision: in.Decision, Reason: in.Reason})
	}
	payload, err := lot.Decode(kind, data)
	if err != nil {
		return invalid.Errors{{Field: "data", Message: err.Error()}}
	}
	return a.kitchen.Append(c.Request.Context(), kitchen.Write{EventID: id, LotID: lotID, Seen: seen, HappenedAt: at,
		Payload: payload})
}

// exposure integrates a lot's temperatures over a span: from and to in RFC 3339.
func (a *API) exposure(c *gin.Context) {
	id, ok := a.lotID(c)
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
		a.fail(c, err)
		return
	}
	x, err := a.kitchen.Exposure(c.Request.Context(), id, span)
	if err != nil {
		a.fail(c, err)
		return
	}
	hours := map[coldchain.Kind]float64{}
	for _, st := range x.Stretches {
		for _, p := range st.Parts {
			hours[p.Kind] += p.Exposure.Covered.Hours()
		}
	}
	out := map[string]any{"from": span.From, "to": span.To, "model": x.Model, "ice_days": x.Total.IceDays(x.Model),
		"hours":           hours,
		"hours_above_4_4": x.Total.HoursAbove(4.4), "hours_above_21_1": x.Total.HoursAbove(21.1), "min_celsius": nil,
		"max_celsius": nil, "mean_celsius": nil}
	if x.Total.Covered > 0 {
		out["min_celsius"], out["max_celsius"], out["mean_celsius"] = x.Total.Min, x.Total.Max, x.Total.Mean()
	}
	httpx.WriteJSON(c, http.StatusOK, out)
}
