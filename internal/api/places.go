package api

import (
	"math"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/httpx"
)

// placeOut is a place as programs see it.
type placeOut struct {
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

func (a *API) places(c *gin.Context) {
	places, err := a.kitchen.Places(c.Request.Context())
	if err != nil {
		a.fail(c, err)
		return
	}
	out := make([]placeOut, len(places))
	for i, p := range places {
		out[i] = placeOut{ID: p.ID, Name: p.Name, Kind: p.Kind, SetCelsius: p.SetC, Lots: p.LotCount, LotsKg: p.LotKg,
			CapacityKg: p.CapacityKg, Holds: p.Holds,
			WarmC: finite(p.Rules.WarmC), FreezingC: finite(p.Rules.FreezingC), Alarms: len(p.Alarms)}
		if p.Probe != nil {
			out[i].Probe = &p.Probe.Name
		}
		if p.Latest != nil {
			out[i].Celsius, out[i].At = &p.Latest.Celsius, &p.Latest.At
		}
		if p.Box != nil {
			left := p.Ice.Left(a.kitchen.Now())
			out[i].IceKg, out[i].MeltKgH = &left, &p.Ice.MeltPerHour
			if !p.Ice.RunsOut.IsZero() {
				out[i].TopUpAt, out[i].IceGoneAt = &p.Ice.TopUp, &p.Ice.RunsOut
			}
		}
	}
	httpx.WriteJSON(c, http.StatusOK, map[string]any{"places": out})
}

// finite is a pointer to a number, nil where it is none.
func finite(v float64) *float64 {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return &v
}

// alarmOut is an alarm as programs see it.
type alarmOut struct {
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
	Actions  []alarmActionOut `json:"actions"`
}

type alarmActionOut struct {
	At     time.Time `json:"at"`
	Person string    `json:"person"`
	Action string    `json:"action"`
	Note   string    `json:"note"`
}

// alarmsBack is how far back the alarms are listed.
const alarmsBack = 30 * 24 * time.Hour

func (a *API) alarms(c *gin.Context) {
	list, err := a.kitchen.Alarms(c.Request.Context(), a.kitchen.Now().Add(-alarmsBack))
	if err != nil {
		a.fail(c, err)
		return
	}
	out := make([]alarmOut, len(list))
	for i, a := range list {
		out[i] = alarmOut{ID: a.ID, Kind: a.Kind, PlaceID: a.PlaceID, Place: a.Place, Probe: a.Probe, Since: a.Since,
			RaisedAt: a.RaisedAt, EndedAt: a.EndedAt, WorstC: a.WorstC, Stops: a.Stops, Actions: []alarmActionOut{}}
		for _, x := range a.Actions {
			out[i].Actions = append(out[i].Actions, alarmActionOut(x))
		}
	}
	httpx.WriteJSON(c, http.StatusOK, map[string]any{"alarms": out})
}
