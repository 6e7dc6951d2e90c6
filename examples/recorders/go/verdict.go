// Package harbour lets go's own tests write a record for plain-verdict. Copy this file: it needs the standard library only.
//
//	func TestFare(t *testing.T) {
//		check := Begin(t, "Booking", "Checkout")
//		check.Step("Choose the 09:40", func() { ... })
//		check.Compare("NOK 418", fare())
//	}
//
// The variable VERDICT_RECORD names the folder; without it nothing is written. Each process writes a file of its own.
package harbour

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"sync"
	"testing"
	"time"
)

type fields map[string]any

// A record is the file of this process; one without a file writes nothing.
type record struct {
	mutex sync.Mutex
	file  *os.File
	last  int
}

var (
	once   sync.Once
	shared record
)

func opened() *record {
	once.Do(func() {
		folder := os.Getenv("VERDICT_RECORD")
		if folder == "" {
			return
		}
		err := os.MkdirAll(folder, 0o777)
		if err == nil {
			name := fmt.Sprintf("go-%d-%d.verdict.jsonl", os.Getpid(), time.Now().UnixNano())
			shared.file, err = os.OpenFile(filepath.Join(folder, name), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o666)
		}
		if err != nil { // a record never breaks what it records
			fmt.Fprintln(os.Stderr, "no record is written:", err)
			return
		}
		shared.write(fields{"what": "record", "version": 1, "at": now()})
	})
	return &shared
}

func now() float64 { return float64(time.Now().UnixNano()) / 1e9 }

// write appends one line, in one call: several processes may share a file.
func (r *record) write(line fields) {
	if r.file == nil {
		return
	}
	data, err := json.Marshal(line)
	if err == nil {
		_, err = r.file.Write(append(data, '\n'))
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "a line is missing in the record:", err)
	}
}

func (r *record) id() string {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	r.last++
	return fmt.Sprintf("%d-%d", os.Getpid(), r.last)
}

// A Check is a test that is recorded.
type Check struct {
	t        *testing.T
	record   *record
	inside   []string // ids, from the check to the step that is open
	problems []fields
}

// Begin records a test, which ends when the test does. The suite is a path from outside in.
func Begin(t *testing.T, suite ...string) *Check {
	t.Helper()
	check := &Check{t: t, record: opened()}
	id, began := check.record.id(), time.Now()
	line := fields{"what": "check", "id": id, "name": t.Name(), "suite": append([]string{}, suite...), "at": now()}
	if _, file, number, ok := runtime.Caller(1); ok {
		line["file"], line["line"] = filepath.Base(file), number
	}
	check.record.write(line)
	check.inside = []string{id}
	t.Cleanup(func() {
		outcome := "passed"
		switch {
		case panicking(): // go marks the test as failed only after this
			outcome = "errored"
			check.problems = append(check.problems, fields{"type": "panic", "message": "the test panicked"})
		case t.Failed():
			outcome = "failed"
		case t.Skipped():
			outcome = "skipped"
		}
		check.record.write(fields{
			"what": "end", "id": id, "outcome": outcome, "problems": append([]fields{}, check.problems...),
			"at": now(), "took_s": time.Since(began).Seconds(),
		})
	})
	return check
}

// panicking tells whether a panic is why the test ends: its frame is on the stack while cleanups run.
func panicking() bool {
	callers := make([]uintptr, 64)
	frames := runtime.CallersFrames(callers[:runtime.Callers(0, callers)])
	for {
		frame, more := frames.Next()
		if frame.Function == "runtime.gopanic" {
			return true
		}
		if !more {
			return false
		}
	}
}

// Step records a part of the test; what fails in it marks it as failed, a panic as errored.
func (c *Check) Step(name string, do func()) {
	c.t.Helper()
	id, began, before, outcome := c.record.id(), time.Now(), c.t.Failed(), "errored"
	c.record.write(fields{"what": "step", "id": id, "in": c.inside[len(c.inside)-1], "name": name, "at": now()})
	c.inside = append(c.inside, id)
	defer func() {
		c.inside = c.inside[:len(c.inside)-1]
		switch {
		case c.t.Failed() && !before:
			outcome = "failed"
		case c.t.Skipped():
			outcome = "skipped"
		}
		c.record.write(fields{"what": "end", "id": id, "outcome": outcome, "at": now(), "took_s": time.Since(began).Seconds()})
	}()
	do()
	outcome = "passed"
}

// Compare fails the test where two texts differ, and records both.
func (c *Check) Compare(expected, actual string) {
	c.t.Helper()
	if expected != actual {
		message := fmt.Sprintf("expected %s, got %s", expected, actual)
		c.problems = append(c.problems, fields{"message": message, "expected": expected, "actual": actual})
		c.t.Error(message)
	}
}

// Log adds a line of log to what is open.
func (c *Check) Log(text string) {
	c.record.write(fields{"what": "log", "in": c.inside[len(c.inside)-1], "text": text, "at": now()})
}

// Keep adds evidence, like a picture, to what is open.
func (c *Check) Keep(name string, content []byte) {
	c.record.write(fields{
		"what": "evidence", "in": c.inside[len(c.inside)-1], "name": name, "at": now(),
		"base64": base64.StdEncoding.EncodeToString(content),
	})
}
