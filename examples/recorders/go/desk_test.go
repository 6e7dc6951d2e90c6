package harbour

import "testing"

// Tests of a made-up booking desk: with steps, a failure and a skip.

func TestDayReturn(t *testing.T) {
	check := Begin(t, "Booking", "Checkout")
	check.Step("Choose the 09:40", func() { check.Log("2 sailings") })
	check.Step("Pay", func() {
		check.Keep("till.txt", []byte("NOK 481"))
		check.Compare("NOK 418", "NOK 481")
	})
}

func TestSeatIsKept(t *testing.T) {
	Begin(t, "Booking")
}

func TestLowWater(t *testing.T) {
	Begin(t)
	t.Skip("no slack water")
}
