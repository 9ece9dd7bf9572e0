package api

import (
	"encoding/csv"
	"errors"
	"io"
	"mime"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/invalid"
	"leancatch/internal/httpx"
	"leancatch/internal/intake"
)

// readings takes readings in: SenML JSON, or CSV with the columns probe, at
// and celsius.
func (a *API) readings(c *gin.Context) {
	media, _, _ := mime.ParseMediaType(c.GetHeader("Content-Type"))
	var list []intake.Measurement
	var err error
	switch media {
	case "application/senml+json", "application/json":
		list, err = intake.ParseSenML(c.Request.Body, a.kitchen.Now())
	case "text/csv":
		list, err = readingsCSV(c.Request.Body)
	default:
		httpx.WriteProblem(c, http.StatusUnsupportedMediaType, "send application/senml+json or text/csv", nil)
		return
	}
	if err != nil {
		a.fail(c, err)
		return
	}
	got, err := a.kitchen.PutMeasurements(c.Request.Context(), list)
	if err != nil {
		a.fail(c, err)
		return
	}
	httpx.WriteJSON(c, http.StatusOK, got)
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
			return nil, errors.Join(httpx.ErrBody, err)
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
