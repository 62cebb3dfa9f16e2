package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"reflect"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/spf13/cobra"

	"vastspan/internal/service"
	"vastspan/internal/signon"
)

// A configuration is the file of serve --config: the databases in which tables may be attached, and the flags of serve by their
// names with underscores. The command line takes precedence.
type configuration struct {
	Databases map[string]service.DatabaseDefinition `yaml:"databases"`

	// SignOn is the provider of single sign-on.
	SignOn *signon.Definition `yaml:"sign_on" flag:"-"`

	Address           *string   `yaml:"address"`
	Data              *string   `yaml:"data"`
	Database          *string   `yaml:"database"`
	DatabasePort      *int      `yaml:"database_port"`
	Zone              *string   `yaml:"zone"`
	DayStarts         *string   `yaml:"day_starts"`
	Log               *string   `yaml:"log"`
	LogRequests       *bool     `yaml:"log_requests"`
	StopWithin        *string   `yaml:"stop_within"`
	Memory            *string   `yaml:"memory"`
	TLSCertificate    *string   `yaml:"tls_certificate"`
	TLSKey            *string   `yaml:"tls_key"`
	Accounts          *bool     `yaml:"accounts"`
	PublicURL         *string   `yaml:"public_url"`
	TrustedProxy      *[]string `yaml:"trusted_proxy"`
	AuditTo           *string   `yaml:"audit_to"`
	DeliverInto       *string   `yaml:"deliver_into"`
	WebhookSecretFile *string   `yaml:"webhook_secret_file"`
	WebhookHosts      *[]string `yaml:"webhook_hosts"`
	MailServer        *string   `yaml:"mail_server"`
	MailFrom          *string   `yaml:"mail_from"`
	MailUser          *string   `yaml:"mail_user"`
	MailPasswordFile  *string   `yaml:"mail_password_file"`
}

// readConfig reads the configuration, strictly: a key that is not known is an error with its line.
func (s *serving) readConfig(cmd *cobra.Command) error {
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
	s.databases, s.signOn = c.Databases, c.SignOn
	return c.apply(cmd, s.config)
}

// apply sets the flags that are not on the command line.
func (c *configuration) apply(cmd *cobra.Command, file string) error {
	fields := reflect.ValueOf(c).Elem()
	for i := range fields.NumField() {
		value := fields.Field(i)
		if value.Kind() != reflect.Pointer || value.IsNil() || fields.Type().Field(i).Tag.Get("flag") == "-" {
			continue
		}
		key := fields.Type().Field(i).Tag.Get("yaml")
		name := strings.ReplaceAll(key, "_", "-")
		if cmd.Flags().Changed(name) {
			continue
		}
		text := fmt.Sprint(value.Elem())
		if list, ok := value.Interface().(*[]string); ok {
			text = strings.Join(*list, ",")
		}
		if err := cmd.Flags().Set(name, text); err != nil {
			return fmt.Errorf("%s: %s: %w", file, key, err)
		}
	}
	return nil
}
