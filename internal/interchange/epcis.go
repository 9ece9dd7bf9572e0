package interchange

import (
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// epcisDocument is an EPCIS 2.0 document in JSON-LD [GS1 EPCIS 2.0, 2022]. A test holds it against the published schema
// (testdata/README.md).
type epcisDocument struct {
	Context       []any     `json:"@context"`
	Type          string    `json:"type"`
	SchemaVersion string    `json:"schemaVersion"`
	CreationDate  time.Time `json:"creationDate"`
	Body          struct {
		EventList []epcisEvent `json:"eventList"`
	} `json:"epcisBody"`
}

// epcisEvent is an object, a transformation or an aggregation event.
type epcisEvent struct {
	Type         string           `json:"type"`
	EventID      string           `json:"eventID"`
	EventTime    time.Time        `json:"eventTime"`
	RecordTime   time.Time        `json:"recordTime"`
	Offset       string           `json:"eventTimeZoneOffset"`
	Action       string           `json:"action,omitempty"` // not of a transformation
	BizStep      string           `json:"bizStep"`
	Disposition  string           `json:"disposition,omitempty"`
	ReadPoint    *epcisID         `json:"readPoint,omitempty"`
	EPCList      []string         `json:"epcList,omitempty"`
	QuantityList []epcisQuantity  `json:"quantityList,omitempty"`
	InputEPCs    []string         `json:"inputEPCList,omitempty"`
	OutputEPCs   []string         `json:"outputEPCList,omitempty"`
	Outputs      []epcisQuantity  `json:"outputQuantityList,omitempty"`
	TransformID  string           `json:"transformationID,omitempty"`
	ParentID     string           `json:"parentID,omitempty"`
	ChildEPCs    []string         `json:"childEPCs,omitempty"`
	Sources      []epcisParty     `json:"sourceList,omitempty"`
	Destinations []epcisParty     `json:"destinationList,omitempty"`
	Sensors      []epcisSensor    `json:"sensorElementList,omitempty"`
	Error        *epcisErrorPoint `json:"errorDeclaration,omitempty"`
}

type epcisID struct {
	ID string `json:"id"`
}

type epcisQuantity struct {
	Class    string  `json:"epcClass"`
	Quantity float64 `json:"quantity"`
	UOM      string  `json:"uom"`
}

type epcisParty struct {
	Type        string `json:"type"`
	Source      string `json:"source,omitempty"`
	Destination string `json:"destination,omitempty"`
}

type epcisSensor struct {
	Reports []epcisReport `json:"sensorReport"`
}

type epcisReport struct {
	Type  string  `json:"type"`
	Value float64 `json:"value"`
	UOM   string  `json:"uom"`
}

type epcisErrorPoint struct {
	DeclarationTime time.Time `json:"declarationTime"`
	Reason          string    `json:"reason"`
}

// urn is an id as EPCIS takes it.
func urn(id uuid.UUID) string { return "urn:uuid:" + id.String() }

// EPCIS writes the events of a lot as an EPCIS 2.0 document: what was received, moved, measured, held and left as object events, what
// was cut or
// split as transformations, what was put together as aggregations. Lots and events have the ids that they have here.
func EPCIS(x kitchen.RecordLot, a kitchen.Actor, now time.Time) ([]byte, error) {
	doc := epcisDocument{Context: []any{"https://ref.gs1.org/standards/epcis/2.0.0/epcis-context.jsonld"}, Type: "EPCISDocument", SchemaVersion: "2.0",
		CreationDate: now.UTC().Truncate(time.Second)}
	doc.Body.EventList = []epcisEvent{}
	for _, e := range x.Entries {
		event := epcisEvent{Type: "ObjectEvent", EventID: urn(e.ID), EventTime: e.HappenedAt.UTC(), RecordTime: e.RecordedAt.UTC(),
			Offset: e.HappenedAt.In(a.Zone()).Format("-07:00"), Action: "OBSERVE", EPCList: []string{urn(x.ID)}}
		if v := x.Voids[e.ID]; v != nil {
			event.Error = &epcisErrorPoint{v.At.UTC(), v.Reason}
		}
		if event.say(x, e) {
			doc.Body.EventList = append(doc.Body.EventList, event)
		}
	}
	data, err := json.MarshalIndent(doc, "", "  ")
	if err != nil {
		return nil, fmt.Errorf("the events of lot %s: %w", x.Received.Code, err)
	}
	return data, nil
}

// say fills an event in; false for one that EPCIS has no words for.
func (v *epcisEvent) say(x kitchen.RecordLot, e kitchen.Entry) bool {
	place := func(id int64) { v.ReadPoint = &epcisID{fmt.Sprintf("urn:leancatch:place:%d", id)} }
	kg := func(class uuid.UUID, kg float64) []epcisQuantity { return []epcisQuantity{{urn(class), kg, "KGM"}} }
	switch p := e.Payload.(type) {
	case lot.Received:
		v.Action, v.BizStep, v.Disposition = "ADD", "receiving", "in_progress"
		v.QuantityList, v.Sources = kg(x.ID, p.WeightKg), []epcisParty{{Type: "possessing_party",
			Source: fmt.Sprintf("urn:leancatch:supplier:%d", p.SupplierID)}}
		place(p.PlaceID)
		if p.CoreC != nil {
			v.Sensors = []epcisSensor{{[]epcisReport{{"Temperature", *p.CoreC, "CEL"}}}}
		}
	case lot.SplitFrom:
		v.transforms(p.ParentID, x.ID, p.Received.WeightKg)
	case lot.Arrived:
		v.Action, v.BizStep, v.Disposition = "ADD", "arriving", "in_transit"
		v.QuantityList, v.Sources = kg(x.ID, p.Lot.Received.WeightKg), []epcisParty{{Type: "location", Source: "urn:leancatch:kitchen:" + p.From}}
	case lot.Moved:
		v.BizStep, v.Disposition = "storing", "in_progress"
		place(p.PlaceID)
	case lot.Temperature:
		v.BizStep, v.Disposition = "sensor_reporting", "in_progress"
		v.Sensors = []epcisSensor{{[]epcisReport{{"Temperature", p.Celsius, "CEL"}}}}
	case lot.Inspected:
		v.BizStep, v.Disposition = "inspecting", "conformant"
		if p.Decision == "refuse" {
			v.Disposition = "non_conformant"
		}
	case lot.Held:
		v.BizStep, v.Disposition = "holding", "non_sellable_other"
	case lot.Released:
		v.BizStep, v.Disposition = "inspecting", "sellable_accessible"
	case lot.Refused:
		v.Action, v.BizStep, v.Disposition = "DELETE", "returning", "returned"
	case lot.Cut:
		v.Type, v.Action, v.EPCList, v.BizStep, v.Disposition = "TransformationEvent", "", nil, "commissioning", "in_progress"
		v.TransformID, v.InputEPCs = urn(e.ID), []string{urn(x.ID)}
		for _, part := range p.Parts {
			if part.LotID != uuid.Nil {
				v.OutputEPCs = append(v.OutputEPCs, urn(part.LotID))
				v.Outputs = append(v.Outputs, epcisQuantity{urn(part.LotID), part.WeightKg, "KGM"})
			}
		}
		if len(v.OutputEPCs) == 0 {
			return false // all of it left at once: that is another event
		}
	case lot.Split:
		v.Type, v.Action, v.EPCList, v.BizStep, v.Disposition = "TransformationEvent", "", nil, "commissioning", "in_progress"
		v.TransformID, v.InputEPCs = urn(e.ID), []string{urn(x.ID)}
		for _, part := range p.Parts {
			v.OutputEPCs = append(v.OutputEPCs, urn(part.LotID))
		}
	case lot.SplitOff:
		v.transforms(x.ID, p.LotID, p.WeightKg)
	case lot.Merged:
		v.Type, v.Action, v.EPCList, v.BizStep, v.Disposition = "AggregationEvent", "ADD", nil, "packing", "in_progress"
		v.ParentID, v.ChildEPCs = urn(x.ID), []string{urn(p.With.ParentID)}
	case lot.Sent:
		v.BizStep, v.Disposition = "shipping", "in_transit"
		v.Destinations = []epcisParty{{Type: "location", Destination: "urn:leancatch:kitchen:" + p.To}}
	case lot.Taken:
		v.Action, v.BizStep, v.Disposition = "DELETE", "retail_selling", "retail_sold"
		if p.EndUse == lot.UsedWaste {
			v.BizStep, v.Disposition = "destroying", "destroyed"
		} else if p.EndUse == lot.UsedStock {
			v.BizStep, v.Disposition = "decommissioning", "inactive"
		}
	case lot.Discarded:
		v.Action, v.BizStep, v.Disposition = "DELETE", "destroying", "destroyed"
	case lot.Packed:
		v.BizStep, v.Disposition = "packing", "in_progress"
	default:
		return false
	}
	return true
}

// transforms makes the event one by which a lot becomes another.
func (v *epcisEvent) transforms(from, to uuid.UUID, kg float64) {
	v.Type, v.Action, v.EPCList, v.BizStep, v.Disposition = "TransformationEvent", "", nil, "commissioning", "in_progress"
	v.TransformID, v.InputEPCs, v.OutputEPCs = v.EventID, []string{urn(from)}, []string{urn(to)}
	v.Outputs = []epcisQuantity{{urn(to), kg, "KGM"}}
}
