package requirements_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/requirements"
)

func TestAListInCSV(t *testing.T) {
	t.Parallel()
	all, err := requirements.FromCSV([]byte("\xef\xbb\xbfID;Says;Of;At most;at_least;owner;wish\nR1;\"Riders feel \"\"little\"\"\";peak_g;2.5;;Kim;\nR2;;gap;9;1.5;;true\nR3;no value;;1;;;\n2b;;gap;1;;;\nR1;again;gap;1;;;\nR4;;gap;few;;;\nR5;;gap;;;;\n"))
	require.NoError(t, err)
	require.Len(t, all, 7)
	assert.Equal(t, `{says: "Riders feel \"little\"", of: "peak_g", at_most: 2.5}`, all[0].YAML())
	assert.Equal(t, `{of: "gap", between: [1.5, 9], wish: true}`, all[1].YAML())
	for i, says := range []string{"", "", "it has no of", "cannot be an id", "another one of the list has this id", `at_most is "few", and no number`, "it has no limit"} {
		if says == "" {
			assert.Empty(t, all[i].Unread)
			continue
		}
		assert.Contains(t, all[i].Unread, says)
	}
	_, err = requirements.FromCSV([]byte("id,text\nR1,x\n"))
	assert.ErrorContains(t, err, "it needs id and of")
	_, err = requirements.FromCSV(nil)
	assert.ErrorContains(t, err, "the list has no header")
}

// exchanged is a file of a tool of requirements, with what that alone knows.
const exchanged = `<?xml version="1.0" encoding="UTF-8"?>
<!-- made by another program -->
<REQ-IF xmlns="http://www.omg.org/spec/ReqIF/20110401/reqif.xsd" xmlns:xhtml="http://www.w3.org/1999/xhtml">
  <THE-HEADER><REQ-IF-HEADER IDENTIFIER="h"><REQ-IF-VERSION>1.2</REQ-IF-VERSION></REQ-IF-HEADER></THE-HEADER>
  <CORE-CONTENT><REQ-IF-CONTENT>
    <DATATYPES><DATATYPE-DEFINITION-ENUMERATION IDENTIFIER="d-e"><SPECIFIED-VALUES><ENUM-VALUE IDENTIFIER="v-1" LONG-NAME="agreed"/></SPECIFIED-VALUES></DATATYPE-DEFINITION-ENUMERATION></DATATYPES>
    <SPEC-TYPES><SPEC-OBJECT-TYPE IDENTIFIER="t-1" LONG-NAME="Target"><SPEC-ATTRIBUTES>
      <ATTRIBUTE-DEFINITION-STRING IDENTIFIER="a-id" LONG-NAME="ReqIF.ForeignID"/>
      <ATTRIBUTE-DEFINITION-XHTML IDENTIFIER="a-text" LONG-NAME="ReqIF.Text"/>
      <ATTRIBUTE-DEFINITION-STRING IDENTIFIER="a-of" LONG-NAME="of"/>
      <ATTRIBUTE-DEFINITION-REAL IDENTIFIER="a-most" LONG-NAME="At Most"/>
      <ATTRIBUTE-DEFINITION-ENUMERATION IDENTIFIER="a-state" LONG-NAME="State"/>
    </SPEC-ATTRIBUTES></SPEC-OBJECT-TYPE></SPEC-TYPES>
    <SPEC-OBJECTS>
      <SPEC-OBJECT IDENTIFIER="o-1"><VALUES>
        <ATTRIBUTE-VALUE-STRING THE-VALUE="R1"><DEFINITION><ATTRIBUTE-DEFINITION-STRING-REF>a-id</ATTRIBUTE-DEFINITION-STRING-REF></DEFINITION></ATTRIBUTE-VALUE-STRING>
        <ATTRIBUTE-VALUE-XHTML><THE-VALUE><xhtml:div>Riders feel <xhtml:b>no more</xhtml:b> than 2.5 g</xhtml:div></THE-VALUE><DEFINITION><ATTRIBUTE-DEFINITION-XHTML-REF>a-text</ATTRIBUTE-DEFINITION-XHTML-REF></DEFINITION></ATTRIBUTE-VALUE-XHTML>
        <ATTRIBUTE-VALUE-STRING THE-VALUE="peak_g"><DEFINITION><ATTRIBUTE-DEFINITION-STRING-REF>a-of</ATTRIBUTE-DEFINITION-STRING-REF></DEFINITION></ATTRIBUTE-VALUE-STRING>
        <ATTRIBUTE-VALUE-REAL THE-VALUE="2.5"><DEFINITION><ATTRIBUTE-DEFINITION-REAL-REF>a-most</ATTRIBUTE-DEFINITION-REAL-REF></DEFINITION></ATTRIBUTE-VALUE-REAL>
        <ATTRIBUTE-VALUE-ENUMERATION><VALUES><ENUM-VALUE-REF>v-1</ENUM-VALUE-REF></VALUES><DEFINITION><ATTRIBUTE-DEFINITION-ENUMERATION-REF>a-state</ATTRIBUTE-DEFINITION-ENUMERATION-REF></DEFINITION></ATTRIBUTE-VALUE-ENUMERATION>
      </VALUES><TYPE><SPEC-OBJECT-TYPE-REF>t-1</SPEC-OBJECT-TYPE-REF></TYPE></SPEC-OBJECT>
      <SPEC-OBJECT IDENTIFIER="o-2"><VALUES/><TYPE><SPEC-OBJECT-TYPE-REF>t-1</SPEC-OBJECT-TYPE-REF></TYPE></SPEC-OBJECT>
    </SPEC-OBJECTS>
  </REQ-IF-CONTENT></CORE-CONTENT>
  <TOOL-EXTENSIONS><REQ-IF-TOOL-EXTENSION><own xmlns="urn:other">kept</own></REQ-IF-TOOL-EXTENSION></TOOL-EXTENSIONS>
</REQ-IF>
`

var noon = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

func TestAListInReqIF(t *testing.T) {
	t.Parallel()
	all, err := requirements.FromReqIF([]byte(exchanged))
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, "R1", all[0].ID)
	assert.Equal(t, `{says: "Riders feel no more than 2.5 g", of: "peak_g", at_most: 2.5}`, all[0].YAML())
	assert.Equal(t, "agreed", all[0].Fields["state"], "what it does not know is read, and not used")
	assert.Equal(t, []string{"o-2", "it has no of, the value or formula of the bench that it is about"}, []string{all[1].ID, all[1].Unread})
	for _, text := range []string{"", "<REQ-IF/>", "<html></html>", "R1,peak"} {
		_, err := requirements.FromReqIF([]byte(text))
		assert.ErrorContains(t, err, "the file is no ReqIF", text)
	}
}

func TestVerdictsAreWrittenBesideWhatIsThere(t *testing.T) {
	t.Parallel()
	answers := func(verdict string) []requirements.Answer {
		return []requirements.Answer{{ID: "R1", Values: [][2]string{{"ropebench verdict", verdict}, {"ropebench margin", "0.25"}}}, {ID: "R9", Values: [][2]string{{"ropebench verdict", "met"}}}}
	}
	once, missing, err := requirements.Answered([]byte(exchanged), answers("met"), noon)
	require.NoError(t, err)
	assert.Equal(t, []string{"R9"}, missing)
	twice, _, err := requirements.Answered(once, answers("missed"), noon)
	require.NoError(t, err)
	assert.Equal(t, len(once)+len("missed")-len("met"), len(twice), "an answer takes the place of the one before")
	for _, kept := range []string{"<!-- made by another program -->", `<own xmlns="urn:other">kept</own>`, "<xhtml:div>Riders feel <xhtml:b>no more</xhtml:b> than 2.5 g</xhtml:div>", "<ENUM-VALUE-REF>v-1</ENUM-VALUE-REF>", `LONG-NAME="State"`, `THE-VALUE="2.5"`} {
		assert.True(t, strings.Contains(string(twice), kept), kept)
	}
	all, err := requirements.FromReqIF(twice)
	require.NoError(t, err)
	assert.Equal(t, []string{"missed", "0.25"}, []string{all[0].Fields["ropebench_verdict"], all[0].Fields["ropebench_margin"]})
	_, _, err = requirements.Answered([]byte(strings.Replace(exchanged, `IDENTIFIER="t-1"`, `IDENTIFIER="t-9"`, 1)), answers("met"), noon)
	assert.ErrorContains(t, err, `R1: its type "t-1" is not among the SPEC-TYPES`)
}

func TestANewFileOfVerdictsIsRead(t *testing.T) {
	t.Parallel()
	text, err := requirements.NewReqIF("Brake & rope", "Rope Bench test", []requirements.Answer{{ID: "R1", Values: [][2]string{{"says", "a < b"}, {"of", "peak_g"}, {"at_most", "2.5"}}}, {ID: "R2", Values: [][2]string{{"of", "gap"}, {"at_least", "1"}}}}, noon)
	require.NoError(t, err)
	all, err := requirements.FromReqIF(text)
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, `{says: "a < b", of: "peak_g", at_most: 2.5}`, all[0].YAML())
	assert.Empty(t, all[1].Unread)
	assert.Equal(t, 1, strings.Count(string(text), `LONG-NAME="of"`), "an attribute is defined once")
}
