package api

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"sync"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"github.com/invopop/jsonschema"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/httpx"
)

//go:embed openapi.json
var openAPI []byte

// inspectedIn is what a program sends of an inspection; the rest is computed here.
type inspectedIn struct {
	Scheme   string             `json:"scheme"`
	Fish     []freshness.Fish   `json:"fish"`
	Decision freshness.Decision `json:"decision,omitempty"`
	Reason   string             `json:"reason,omitempty"` // required where the decision is not the proposed one
}

// computed are the fields that the server fills in, whatever a program sends.
var computed = []string{"by_manager", "met", "finding", "h_w_m2k", "power_w", "ice_free_hours", "keeps_hours", "labour_cents"}

// eventSchema is a kind of event with the JSON schema of its data: required is what a
// program must send.
type eventSchema struct {
	Kind    lot.Kind           `json:"kind"`
	Name    string             `json:"name"`
	Written bool               `json:"written"` // by POST /lots/{id}/events
	Schema  *jsonschema.Schema `json:"schema"`
}

var eventSchemas = sync.OnceValue(func() []eventSchema {
	r := jsonschema.Reflector{Anonymous: true, DoNotReference: true, Mapper: mapType}
	var list []eventSchema
	for _, kind := range lot.Kinds() {
		var v any = inspectedIn{}
		if kind != lot.KindFor[lot.Inspected]() {
			v = reflect.Zero(kind.Payload()).Interface()
		}
		s := r.Reflect(v)
		s.Version = ""
		s.Required = slices.DeleteFunc(s.Required, func(name string) bool { return slices.Contains(computed, name) })
		for _, name := range computed {
			if field, ok := s.Properties.Get(name); ok {
				field.ReadOnly = true
			}
		}
		list = append(list, eventSchema{kind, kind.Name(), !kind.OnScreenOnly(), s})
	}
	return list
})

// mapType gives types that write themselves as JSON the schema of what they write.
func mapType(t reflect.Type) *jsonschema.Schema {
	switch t {
	case reflect.TypeFor[uuid.UUID]():
		return &jsonschema.Schema{Type: "string", Format: "uuid"}
	case reflect.TypeFor[freshness.Fish]():
		return &jsonschema.Schema{Type: "object", Description: "the level of each sign seen, by the sign's id; " +
			"explanations and findings as lists of ids"}
	case reflect.TypeFor[[]lot.SplitFrom]():
		return &jsonschema.Schema{Type: "array", Items: &jsonschema.Schema{Type: "object"},
			Description: "the lots that were put together with it, each as in the data of split_from, without others"}
	case reflect.TypeFor[json.RawMessage]():
		return &jsonschema.Schema{Type: "object"}
	}
	return nil
}

// document is the OpenAPI document with the schema of each kind of event.
var document = sync.OnceValue(func() []byte {
	var doc map[string]any
	if err := json.Unmarshal(openAPI, &doc); err != nil {
		panic(fmt.Errorf("openapi.json: %w", err)) // it is embedded
	}
	schemas := doc["components"].(map[string]any)["schemas"].(map[string]any)
	for _, e := range eventSchemas() {
		schemas["data."+string(e.Kind)] = e.Schema
	}
	text, err := json.Marshal(doc)
	if err != nil {
		panic(err)
	}
	return text
})

func (a *API) document(c *gin.Context) { c.Data(http.StatusOK, "application/json", document()) }

// eventSchemas lists the kinds of event with the schema of what each says.
func (a *API) eventSchemas(c *gin.Context) {
	httpx.WriteJSON(c, http.StatusOK, map[string]any{"kinds": eventSchemas()})
}
