package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/goccy/go-yaml"

	"vastspan/internal/service"
)

// A configuration is the file of serve --config.
type configuration struct {
	Databases map[string]service.DatabaseDefinition `yaml:"databases"`
}

// readConfig reads the configuration, strictly: a key that is not known is an error with its line.
func (s *serving) readConfig() error {
	if s.config == "" {
		return nil
	}
	text, err := os.ReadFile(s.config)
	if err != nil {
		return err
	}
	var c configuration
	err = yaml.NewDecoder(bytes.NewReader(text), yaml.Strict()).Decode(&c)
	if err != nil && !errors.Is(err, io.EOF) {
		return fmt.Errorf("%s: %s", s.config, yaml.FormatError(err, false, false))
	}
	s.databases = c.Databases
	return nil
}
