// Package invalid carries what is wrong with an input, field by field, from
// the rule that refused it to the message beside the field.
//
//	var bad invalid.Errors
//	if kg <= 0 {
//		bad.Add("weight", "must be above 0")
//	}
//	return bad.Err()
package invalid

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// Error is one field with what is wrong with it.
type Error struct {
	Field   string `json:"field"`
	Message string `json:"message"`
	Manager bool   `json:"manager,omitempty"` // nothing is wrong with it where a manager says so
}

// Errors is all that is wrong with one input. It is an error itself.
type Errors []Error

// TooLong reports whether a text has more than most characters.
func TooLong(text string, most int) bool { return utf8.RuneCountInString(text) > most }

// Add appends a message for a field.
func (e *Errors) Add(field, format string, args ...any) {
	*e = append(*e, Error{Field: field, Message: fmt.Sprintf(format, args...)})
}

// NeedsManager appends what is refused because no manager approved it.
func (e *Errors) NeedsManager(field, format string, args ...any) {
	*e = append(*e, Error{field, fmt.Sprintf(format, args...), true})
}

// OnlyManager reports whether a manager's word is all that is missing.
func (e Errors) OnlyManager() bool {
	for _, x := range e {
		if !x.Manager {
			return false
		}
	}
	return len(e) > 0
}

// Under returns the errors with the prefix before each field.
func (e Errors) Under(prefix string) Errors {
	out := make(Errors, len(e))
	for i, x := range e {
		out[i] = Error{prefix + x.Field, x.Message, x.Manager}
	}
	return out
}

// Err returns the errors as one error, nil where there are none.
func (e Errors) Err() error {
	if len(e) == 0 {
		return nil
	}
	return e
}

// On returns the first message for the field, "" where it has none.
func (e Errors) On(field string) string {
	for _, x := range e {
		if x.Field == field {
			return x.Message
		}
	}
	return ""
}

// Error implements error.
func (e Errors) Error() string {
	parts := make([]string, len(e))
	for i, x := range e {
		parts[i] = x.Field + ": " + x.Message
	}
	return strings.Join(parts, "; ")
}
