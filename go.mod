module leancatch

go 1.26.8

require (
	github.com/google/uuid v1.6.0
	gonum.org/v1/gonum v0.17.0
)
