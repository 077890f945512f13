package work

import (
	"testing"
	"time"
)

// When an answer is told follows from the visible rows, whatever the hidden ones take within what is usual; and nobody
// waits long for it.
func TestWhenAnAnswerIsToldSaysNothingOfHiddenRows(t *testing.T) {
	const ms = time.Millisecond
	for _, visible := range []time.Duration{
		0, 1 * ms, 5 * ms, 12 * ms, 30 * ms, 49 * ms, 60 * ms, 300 * ms, 2 * time.Second,
	} {
		told := toldAfter(visible, visible)
		for _, hidden := range []time.Duration{0, visible / 2, visible} {
			if at := toldAfter(visible, visible+hidden); at != told {
				t.Errorf(
					"visible rows took %s: told after %s, with hidden rows of %s after %s", visible, told, hidden, at,
				)
			}
		}
	}
	for visible := time.Duration(0); visible < quick; visible += ms {
		for hidden := time.Duration(0); hidden < quick; hidden += ms {
			if late := toldAfter(visible, visible+hidden) - visible - hidden; late < 0 || late > 100*ms {
				t.Errorf("visible rows took %s and hidden ones %s: told %s late", visible, hidden, late)
			}
		}
	}
	if at := toldAfter(10*ms, 700*ms); at < 700*ms || at > 1200*ms {
		t.Errorf("hidden rows that took long: told after %s", at)
	}
}
