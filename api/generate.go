// Package api is the HTTP interface, generated from openapi.yaml: the types, the routes of the
// server and the client. Only openapi.yaml is edited.
package api

import _ "embed"

//go:generate go tool oapi-codegen -config codegen.yaml openapi.yaml

// Document is openapi.yaml as it is served.
//
//go:embed openapi.yaml
var Document []byte
