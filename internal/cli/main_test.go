package cli

import (
	"fmt"
	"os"
	"testing"
)

// Commands know nothing of who runs the tests: neither keys nor where services are.
func TestMain(m *testing.M) {
	os.Exit(func() int {
		folder, err := os.MkdirTemp("", "vastspan-settings-")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(folder)
		for name, value := range map[string]string{"XDG_CONFIG_HOME": folder, "VASTSPAN_KEY": "", "VASTSPAN_SERVER": ""} {
			if err := os.Setenv(name, value); err != nil {
				fmt.Fprintln(os.Stderr, err)
				return 1
			}
		}
		return m.Run()
	}())
}
