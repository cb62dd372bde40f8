package plain

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestHowManyHowLongAndHowLarge(t *testing.T) {
	t.Parallel()
	assert.Equal(t, []string{"0 inputs", "1 input", "2 inputs", "12,000 inputs"}, []string{Count(0, "input"), Count(1, "input"), Count(2, "input"), Count(12000, "input")})
	for n, want := range map[int]string{0: "0", 999: "999", 1000: "1,000", -1000: "-1,000", -999: "-999", 12345678: "12,345,678"} {
		assert.Equal(t, want, Whole(n))
	}
	for n, want := range map[int]string{1: "1st", 2: "2nd", 3: "3rd", 4: "4th", 11: "11th", 12: "12th", 13: "13th", 21: "21st", 102: "102nd", 111: "111th", 113: "113th"} {
		assert.Equal(t, want, Ordinal(n))
	}
	for seconds, want := range map[float64]string{0: "< 0.001 s", 0.0123456: "0.0123 s", 1.5: "1.5 s", 999.4: "999 s", 999.6: "16 min", 5400: "1 h 30 min", 36000: "10 h"} {
		assert.Equal(t, want, Seconds(seconds), "%g", seconds)
	}
	for n, want := range map[int64]string{0: "0 B", 999: "999 B", 1000: "1 kB", 1234: "1.23 kB", 999_999: "1 MB", 5_600_000: "5.6 MB", 999_600_000: "1 GB", 1_234_000_000_000: "1.23e+03 GB"} {
		assert.Equal(t, want, Bytes(n), "%d", n)
	}
	assert.Equal(t, "0.3333333333333333 kg", ExactWith(1.0/3, "kg"))
	assert.Equal(t, "5", ExactWith(5, ""))
}

func TestNumbersOfYAML(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]float64{"1": 1, "-1.5": -1.5, ".5": 0.5, "5.": 5, "1e-3": 1e-3, "+2E+2": 200, "0x1F": 31, "0o17": 15, "007": 7} {
		value, is := YAMLNumber(text)
		assert.True(t, is, text)
		assert.Equal(t, want, value, text)
	}
	for _, text := range []string{"", "a", "1 000", "1,5", "1e", "--1", ".", "0x", "0o8", "1e999", ".inf", ".nan", "1_000", "0xfffffffffffffffff"} {
		_, is := YAMLNumber(text)
		assert.False(t, is, text)
	}
}

// parts are the texts of spans.
func parts(line string, spans [][2]int) []string {
	var all []string
	for _, span := range spans {
		all = append(all, line[span[0]:span[1]])
	}
	return all
}

func TestFieldsOfLines(t *testing.T) {
	t.Parallel()
	for line, want := range map[string][]string{
		"  1.0   2.0\t": {"1.0", "2.0"}, // a tab parts where there is one, blanks where there is none
		"1,2, 3":        {"1", "2", "3"}, "a;b; ;c": {"a", "b", "", "c"}, "MASS = 3.5 kg": {"MASS", "=", "3.5", "kg"}, "one": {"one"},
	} {
		if strings.Contains(line, "\t") {
			assert.Equal(t, []string{"1.0   2.0", ""}, parts(line, FieldSpans([]byte(line))))
			continue
		}
		assert.Equal(t, want, parts(line, FieldSpans([]byte(line))), line)
	}
	assert.Empty(t, FieldSpans(nil))
	assert.Equal(t, []string{"mass", "3,5", "kg"}, Fields([]byte("mass 3,5 kg")), "a comma may be that of a number in a log")
	assert.Equal(t, []string{"mass", "3.5"}, Fields([]byte("mass, 3.5")))
	lines := Lines([]byte("a\r\nbc\n\nd"))
	assert.Equal(t, []Line{{[]byte("a"), 0}, {[]byte("bc"), 3}, {[]byte{}, 6}, {[]byte("d"), 7}}, lines)
}

func TestNumbersThatTouch(t *testing.T) {
	t.Parallel()
	for field, want := range map[string][]string{
		"0.00-0.51500": {"0.00", "-0.51500"}, "-1.5+2.5-3.0": {"-1.5", "+2.5", "-3.0"}, "1.0E-5-2.0E+3": {"1.0E-5", "-2.0E+3"}, "2.1+11-3.0-7": {"2.1+11", "-3.0-7"}, "1.5D3-2": {"1.5D3", "-2"},
		"12": nil, "-0.5": nil, "a-1": nil, "1-a": nil, "": nil, "1.5e": nil, "1..2": nil, "--1": nil,
	} {
		assert.Equal(t, want, parts(field, Parts(field)), field)
	}
}

func TestWordsThatEveryMatchHas(t *testing.T) {
	t.Parallel()
	for pattern, want := range map[string]string{
		`peak deceleration +(\S+) g`: "peak deceleration", `(?i)mass`: "", `(mass)+`: "mass", `(mass){2,}`: "mass", `(mass)?`: "", `a|b`: "", `[ab]cde`: "cde", `(`: "", ``: "",
	} {
		assert.Equal(t, want, FixedWord(pattern), pattern)
	}
}

func TestTextsThatAreShown(t *testing.T) {
	t.Parallel()
	assert.Equal(t, strings.Repeat("ü", 60)+"...", Short(strings.Repeat("ü", 61)), "no letter is cut in two")
	assert.Equal(t, strings.Repeat("ü", 60), Short(strings.Repeat("ü", 60)))
	assert.Equal(t, "red text\n\tnext·", Printable("\x1b[31mred\x1b[0m text\r\n\tnext\x00"))
	assert.Equal(t, "titled", Printable("\x1b]0;evil\x07titled"))
	assert.Equal(t, "a·b", Printable("a\xffb"))
}
