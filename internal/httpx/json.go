package httpx

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/invalid"
)

// ErrBody says that the body of a request is no JSON, or more than one value.
var ErrBody = errors.New("the body cannot be read")

// Bounds of a JSON body, beside that of its bytes: a list of a few bytes an entry would
// take up many times its size.
const (
	mostEntries = 20_000 // of one list
	mostDepth   = 32
)

// BindJSON reads the body of a request into v. Unknown fields are refused. It returns
// invalid.Errors for a field that is wrong or a list that is too long, *http.MaxBytesError for a
// body that is too large, and ErrBody for anything else.
func BindJSON(c *gin.Context, v any) error {
	body, err := io.ReadAll(c.Request.Body)
	if err != nil {
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			return err
		}
		return errors.Join(ErrBody, err)
	}
	if err := checkLists(body); err != nil {
		return err
	}
	d := json.NewDecoder(bytes.NewReader(body))
	d.DisallowUnknownFields()
	if err := d.Decode(v); err != nil {
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
		return errors.Join(ErrBody, err)
	}
	if d.More() {
		return ErrBody
	}
	return nil
}

// checkLists returns an error where a list of a JSON text has too many entries, named by the field
// that it is of, or where lists and objects lie too deep in each other. It does not mind whether the
// text is JSON otherwise.
func checkLists(text []byte) error {
	type level struct {
		list    bool
		entries int
		field   []byte // of an object: the last name in it; of a list: the field that it is of
	}
	open := []level{{}}
	for i := 0; i < len(text); i++ {
		top := &open[len(open)-1]
		switch text[i] {
		case '"':
			begin := i + 1
			for i++; i < len(text) && text[i] != '"'; i++ {
				if text[i] == '\\' {
					i++
				}
			}
			if !top.list && i < len(text) {
				if rest := bytes.TrimLeft(text[i+1:], " \t\r\n"); len(rest) > 0 && rest[0] == ':' {
					top.field = text[begin:min(i, begin+60)]
				}
			}
		case '[', '{':
			if len(open) > mostDepth {
				return fmt.Errorf("%w: lists and objects lie more than %d deep", ErrBody, mostDepth)
			}
			open = append(open, level{list: text[i] == '[', field: top.field})
		case ']', '}':
			if len(open) > 1 {
				open = open[:len(open)-1]
			}
		case ',':
			if top.entries++; top.list && top.entries >= mostEntries {
				return invalid.Errors{{Field: string(top.field), Message: fmt.Sprintf("has more than %d entries", mostEntries)}}
			}
		}
	}
	return nil
}
