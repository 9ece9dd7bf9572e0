package web

import (
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzip" // about twice as fast as the standard library's
)

var gzips = sync.Pool{New: func() any {
	w, _ := gzip.NewWriterLevel(nil, gzip.BestSpeed)
	return w
}}

// compressFrom is the size from which compressing pays.
const compressFrom = 1400

// writeCompressed sends a body, compressed where the client takes it.
func writeCompressed(c *gin.Context, status int, contentType string, body []byte) {
	c.Header("Content-Type", contentType)
	c.Header("Vary", "Accept-Encoding")
	if len(body) < compressFrom || !strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		c.Data(status, contentType, body)
		return
	}
	c.Header("Content-Encoding", "gzip")
	c.Status(status)
	w := gzips.Get().(*gzip.Writer)
	defer gzips.Put(w)
	w.Reset(c.Writer)
	w.Write(body)
	w.Close()
}
