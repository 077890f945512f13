package marking

import (
	"fmt"
	"strings"

	"github.com/cockroachdb/apd/v3"
)

// Points are points, or a mark: an exact decimal number from 0 on. A tenth and two tenths of a point are three tenths
// in every output. The zero value is no points. Points are compared by [Points.Cmp], or by what they are written as.
type Points struct{ d apd.Decimal }

// Bounds of points as they are written.
const (
	mostPoints   = 1_000_000
	mostDecimals = 10
)

// exact computes sums without rounding: more digits than any sum of points has.
var exact = apd.BaseContext.WithPrecision(60)

// ParsePoints reads points as people write them: "2", "0.5".
func ParsePoints(text string) (Points, error) {
	d, _, err := apd.NewFromString(text)
	if err != nil || d.Form != apd.Finite || d.Negative && !d.IsZero() || d.Cmp(apd.New(mostPoints, 0)) > 0 {
		return Points{}, fmt.Errorf("%q is no number from 0 to 1,000,000", text)
	}
	d.Reduce(d)
	if d.Exponent < -mostDecimals {
		return Points{}, fmt.Errorf("%q has more than %d decimals", text, mostDecimals)
	}
	d.Negative = false // of a zero
	return Points{*d}, nil
}

// PointsOf reads points as they are kept, of which it is known that they are some.
func PointsOf(text string) Points {
	p, _ := ParsePoints(text)
	return p
}

// Plus returns the sum.
func (p Points) Plus(q Points) Points {
	var sum Points
	_, _ = exact.Add(&sum.d, &p.d, &q.d) // exact: nothing to be told
	return sum
}

// Percent returns so many hundredths of the points, rounded half up to as many decimals as points may have.
func (p Points) Percent(percent int) Points {
	var part Points
	_, _ = exact.Mul(&part.d, &p.d, apd.New(int64(percent), -2))
	if part.d.Exponent < -mostDecimals {
		_, _ = exact.Quantize(&part.d, &part.d, -mostDecimals)
	}
	part.d.Reduce(&part.d)
	return part
}

// Over returns the points shared among n, to two decimals: the mean of what adds up to them.
func (p Points) Over(n int) (shared Points) {
	_, _ = exact.Quo(&shared.d, &p.d, apd.New(int64(n), 0))
	_, _ = exact.Quantize(&shared.d, &shared.d, -2)
	shared.d.Reduce(&shared.d)
	return shared
}

// None tells that there are none. (A method IsZero would have JSON leave a mark of 0 out.)
func (p Points) None() bool { return p.d.IsZero() }

// Cmp returns -1, 0 or 1 where p is less than, equal to or more than q.
func (p Points) Cmp(q Points) int { return p.d.Cmp(&q.d) }

// String writes as many decimals as there are, none for a whole number.
func (p Points) String() string {
	var d apd.Decimal
	d.Reduce(&p.d)
	text := d.Text('f')
	if strings.Contains(text, ".") {
		text = strings.TrimRight(strings.TrimRight(text, "0"), ".")
	}
	return text
}

// MarshalJSON writes a number.
func (p Points) MarshalJSON() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalJSON reads a number.
func (p *Points) UnmarshalJSON(text []byte) (err error) {
	*p, err = ParsePoints(string(text))
	return err
}
