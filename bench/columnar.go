package main

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"time"
)

// A columnar is an embedded columnar database in a process of its own, which holds the records in memory.
type columnar struct {
	process *exec.Cmd
	in      io.WriteCloser
	out     *bufio.Reader
}

// startColumnar starts it, and loads a CSV file as records.NAME with numbered records. It is nil where its package is not installed.
func startColumnar(name, file, columns string) (*columnar, error) {
	if _, err := os.Stat(filepath.Join("bench", "node_modules")); err != nil {
		return nil, nil
	}
	c := &columnar{process: exec.Command("node", "columnar.mjs")}
	c.process.Dir, c.process.Stderr = "bench", os.Stderr
	c.process.Env = append(os.Environ(), fmt.Sprintf("COLUMNAR_THREADS=%d", runtime.GOMAXPROCS(0)))
	var err error
	if c.in, err = c.process.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := c.process.StdoutPipe()
	if err != nil {
		return nil, err
	}
	c.out = bufio.NewReader(out)
	if err := c.process.Start(); err != nil {
		return nil, err
	}
	table := "CREATE TABLE records." + name + " AS SELECT row_number() OVER () AS _record, * FROM read_csv('" + file +
		"', header = true, columns = " + columns + ")"
	for _, text := range []string{"CREATE SCHEMA records", table} {
		if _, err := c.ask(text); err != nil {
			return nil, errors.Join(err, c.stop())
		}
	}
	return c, nil
}

func (c *columnar) stop() error {
	if c == nil {
		return nil
	}
	return errors.Join(c.in.Close(), c.process.Wait())
}

// ask returns how long a statement takes.
func (c *columnar) ask(text string) (time.Duration, error) {
	if _, err := fmt.Fprintln(c.in, strings.ReplaceAll(text, "\n", " ")); err != nil {
		return 0, err
	}
	line, err := c.out.ReadString('\n')
	if err != nil {
		return 0, err
	}
	first, rest, _ := strings.Cut(strings.TrimSpace(line), " ")
	if first == "error" {
		return 0, errors.New(rest)
	}
	seconds, err := strconv.ParseFloat(first, 64)
	return time.Duration(seconds * float64(time.Second)), err
}

// best returns the shortest time of some; 0 where there is no such database.
func (c *columnar) best(times int, text string) (best time.Duration, err error) {
	if c == nil {
		return 0, nil
	}
	for range times {
		took, err := c.ask(text)
		if err != nil {
			return 0, err
		}
		if best == 0 || took < best {
			best = took
		}
	}
	return best, nil
}
