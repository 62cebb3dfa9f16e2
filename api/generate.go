// Package api is the HTTP interface as openapi.yaml says it. Its types, the routes of the server and the
// client are generated into packages of their own. Only openapi.yaml is edited.
package api

import _ "embed"

//go:generate go tool oapi-codegen -templates templates -config types/config.yaml openapi.yaml
//go:generate go tool oapi-codegen -templates templates -config server/config.yaml openapi.yaml
//go:generate go tool oapi-codegen -templates templates -config client/config.yaml openapi.yaml

// Document is openapi.yaml as it is served.
//
//go:embed openapi.yaml
var Document []byte

// Version is the release that the sources are of, as openapi.yaml states it.
const Version = "0.1.0-dev"
