// Package intake reads what devices write: SenML [RFC8428] from probes and
// the CSV files of loggers. It stores nothing.
package intake

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"time"
)

// Measurement is one resolved SenML record with a number.
type Measurement struct {
	Name  string
	Unit  string // as in the record; "" where none was given
	Value float64
	At    time.Time
}

// senmlRecord is a record of RFC 8428, section 4. Fields whose label ends in
// "_" must be understood and none is known, so any is refused.
type senmlRecord struct {
	BaseName    *string  `json:"bn"`
	BaseTime    *float64 `json:"bt"`
	BaseUnit    *string  `json:"bu"`
	BaseValue   *float64 `json:"bv"`
	BaseSum     *float64 `json:"bs"`
	BaseVersion *float64 `json:"bver"`
	Name        string   `json:"n"`
	Unit        string   `json:"u"`
	Value       *float64 `json:"v"`
	String      *string  `json:"vs"`
	Bool        *bool    `json:"vb"`
	Data        *string  `json:"vd"`
	Sum         *float64 `json:"s"`
	Time        float64  `json:"t"`
	Update      *float64 `json:"ut"`
}

// senmlVersion is the version of RFC 8428, section 4.4.
const senmlVersion = 10

// relativeTime is the bound below which a SenML time is relative to now (RFC
// 8428, section 4.5.3).
const relativeTime = 1 << 28

// senmlName is the form of a resolved name (RFC 8428, section 4.5.1).
var senmlName = regexp.MustCompile(`^[a-zA-Z0-9][a-zA-Z0-9\-:./_]*$`)

// ErrSenML says that a document is not SenML JSON.
var ErrSenML = errors.New("not a SenML JSON pack")

// ParseSenML reads a SenML JSON pack and returns its numeric records, resolved
// (RFC 8428, section 4.6). Records with other values are passed over. Times
// that are relative are taken from now. It returns ErrSenML, wrapped with what
// is wrong and where.
func ParseSenML(r io.Reader, now time.Time) ([]Measurement, error) {
	var raw []json.RawMessage
	if err := json.NewDecoder(r).Decode(&raw); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrSenML, err)
	}
	var base senmlRecord
	var out []Measurement
	for i, text := range raw {
		bad := func(format string, args ...any) error {
			return fmt.Errorf("%w: record %d: %s", ErrSenML, i, fmt.Sprintf(format, args...))
		}
		var labels map[string]json.RawMessage
		var rec senmlRecord
		if err := json.Unmarshal(text, &labels); err != nil {
			return nil, bad("%v", err)
		}
		for label := range labels {
			if label != "" && label[len(label)-1] == '_' {
				return nil, bad("label %q must be understood and is not", label)
			}
		}
		if err := json.Unmarshal(text, &rec); err != nil {
			return nil, bad("%v", err)
		}
		if rec.BaseVersion != nil && *rec.BaseVersion > senmlVersion {
			return nil, bad("version %v is newer than %d", *rec.BaseVersion, senmlVersion)
		}
		inherit(&base, rec)
		name := str(base.BaseName) + rec.Name
		if !senmlName.MatchString(name) {
			return nil, bad("name %q is empty or has characters that are not allowed", name)
		}
		switch {
		case rec.Value != nil:
		case rec.String != nil || rec.Bool != nil || rec.Data != nil || rec.Sum != nil || rec.isBaseOnly():
			continue
		case base.BaseValue != nil:
			rec.Value = new(float64) // section 4.3: the base value alone
		default:
			return nil, bad("no value")
		}
		unit := rec.Unit
		if unit == "" {
			unit = str(base.BaseUnit)
		}
		out = append(out, Measurement{Name: name, Unit: unit, Value: *rec.Value + num(base.BaseValue),
			At: senmlTime(num(base.BaseTime)+rec.Time, now)})
	}
	return out, nil
}

// isBaseOnly reports whether the record only sets base values for those after it.
func (r senmlRecord) isBaseOnly() bool {
	return r.Name == "" && (r.BaseName != nil || r.BaseTime != nil || r.BaseUnit != nil || r.BaseValue != nil ||
		r.BaseSum != nil || r.BaseVersion != nil)
}

func inherit(base *senmlRecord, rec senmlRecord) {
	if rec.BaseName != nil {
		base.BaseName = rec.BaseName
	}
	if rec.BaseTime != nil {
		base.BaseTime = rec.BaseTime
	}
	if rec.BaseUnit != nil {
		base.BaseUnit = rec.BaseUnit
	}
	if rec.BaseValue != nil {
		base.BaseValue = rec.BaseValue
	}
}

func str(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

func num(v *float64) float64 {
	if v == nil {
		return 0
	}
	return *v
}

func senmlTime(seconds float64, now time.Time) time.Time {
	if seconds < relativeTime {
		return now.Add(time.Duration(seconds * float64(time.Second)))
	}
	whole, part := math.Modf(seconds)
	return time.Unix(int64(whole), int64(math.Round(part*1e6))*1000).UTC()
}

// Celsius converts a SenML value to °C. The units are those of RFC 8428,
// section 12.1: Cel and K.
func (m Measurement) Celsius() (float64, error) {
	switch m.Unit {
	case "Cel":
		return m.Value, nil
	case "K":
		return m.Value - 273.15, nil
	case "":
		return 0, errors.New("no unit: give Cel or K")
	}
	return 0, fmt.Errorf("unit %q is not a temperature: give Cel or K", m.Unit)
}

// Share converts a SenML value of relative humidity to a share from 0 to 1.
func (m Measurement) Share() (float64, error) {
	value := m.Value
	switch m.Unit {
	case "%RH":
		value /= 100
	case "/":
	default:
		return 0, fmt.Errorf("unit %q is no humidity: give %%RH", m.Unit)
	}
	if !(value >= 0 && value <= 1) {
		return 0, errors.New("humidity must lie between 0 and 100 %")
	}
	return value, nil
}

// Kilograms converts a SenML value to kg.
func (m Measurement) Kilograms() (float64, error) {
	switch m.Unit {
	case "kg":
		return m.Value, nil
	case "g":
		return m.Value / 1000, nil
	}
	return 0, fmt.Errorf("unit %q is not a mass: give kg or g", m.Unit)
}
