package device

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"
)

// Client sends readings to the application's intake as SenML (RFC 8428). What
// it cannot send it keeps and sends later.
type Client struct {
	URL   string // of the application, "http://127.0.0.1:8420"
	Token string
	HTTP  *http.Client // http.DefaultClient where nil

	waiting []Record
}

// Record is one value to be sent.
type Record struct {
	Name  string  `json:"n"`
	Unit  string  `json:"u"`
	Time  float64 `json:"t"` // seconds since 1970
	Value float64 `json:"v"`
}

// packSize is how many records go in one request.
const packSize = 500

// mostWaiting bounds what a client keeps: a day of fifty probes by the minute.
const mostWaiting = 72_000

// Of makes records of readings.
func Of(readings []Reading) []Record {
	records := make([]Record, len(readings))
	for i, r := range readings {
		records[i] = Record{Name: r.Name, Unit: "Cel", Time: float64(r.At.UnixMilli()) / 1000, Value: r.Celsius}
	}
	return records
}

// Answer is what became of a pack.
type Answer struct {
	Stored    int      `json:"stored"`
	Duplicate int      `json:"duplicate"`
	Refused   []any    `json:"refused"`
	Notes     []string `json:"notes"`
}

// Send sends records, those that wait before them. Where the application does
// not answer, or says that it cannot now, they wait for the next call; what it
// refuses as wrong is gone, with an error.
func (c *Client) Send(ctx context.Context, records ...Record) (Answer, error) {
	c.waiting = append(c.waiting, records...)
	if n := len(c.waiting); n > mostWaiting {
		c.waiting = c.waiting[n-mostWaiting:]
	}
	var sum Answer
	for len(c.waiting) > 0 {
		pack := c.waiting[:min(packSize, len(c.waiting))]
		a, again, err := c.post(ctx, pack)
		if err != nil && again {
			return sum, err
		}
		c.waiting = c.waiting[len(pack):]
		if err != nil {
			return sum, err
		}
		sum.Stored += a.Stored
		sum.Duplicate += a.Duplicate
		sum.Refused = append(sum.Refused, a.Refused...)
		sum.Notes = append(sum.Notes, a.Notes...)
	}
	return sum, nil
}

// post sends one pack; again reports whether a failure may pass.
func (c *Client) post(ctx context.Context, pack []Record) (a Answer, again bool, err error) {
	body, err := json.Marshal(pack)
	if err != nil {
		return a, false, err
	}
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, strings.TrimSuffix(c.URL, "/")+"/api/v1/readings",
		bytes.NewReader(body))
	if err != nil {
		return a, false, err
	}
	req.Header.Set("Content-Type", "application/senml+json")
	req.Header.Set("Authorization", "Bearer "+c.Token)
	client := c.HTTP
	if client == nil {
		client = http.DefaultClient
	}
	res, err := client.Do(req)
	if err != nil {
		return a, true, err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(io.LimitReader(res.Body, 1<<20))
	if err != nil {
		return a, true, err
	}
	if res.StatusCode != http.StatusOK {
		return a, res.StatusCode >= 500 || res.StatusCode == http.StatusTooManyRequests,
			fmt.Errorf("the application answered %s: %s", res.Status, bytes.TrimSpace(text))
	}
	return a, false, json.Unmarshal(text, &a)
}
