package requirements

import (
	"cmp"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/beevik/etree"
)

const namespace = "http://www.omg.org/spec/ReqIF/20110401/reqif.xsd"

// errNoReqIF is the answer to a file that is none.
var errNoReqIF = errors.New("the file is no ReqIF: it has no REQ-IF element with CORE-CONTENT")

// others are the names that tools of requirements use for what a bench file calls otherwise.
var others = map[string]string{"reqif.foreignid": "id", "reqif.name": "name", "reqif.text": "text", "reqif.description": "text"}

// opened reads a document.
func opened(text []byte) (*etree.Document, *etree.Element, error) {
	doc := etree.NewDocument()
	if err := doc.ReadFromBytes(text); err != nil {
		return nil, nil, fmt.Errorf("%w: %w", errNoReqIF, err)
	}
	root := doc.Root()
	if root == nil || root.Tag != "REQ-IF" {
		return nil, nil, errNoReqIF
	}
	content := root.FindElement("./CORE-CONTENT/REQ-IF-CONTENT")
	if content == nil {
		return nil, nil, errNoReqIF
	}
	return doc, content, nil
}

// FromReqIF reads the objects of a ReqIF file. An attribute is taken by its long name, which is a key of a bench file; the id may stand in
// ReqIF.ForeignID, and what is said in ReqIF.Text or ReqIF.Name. Attributes that it does not know are left alone.
func FromReqIF(text []byte) ([]Stated, error) {
	_, content, err := opened(text)
	if err != nil {
		return nil, err
	}
	names := namesOf(content)
	var all []Stated
	for _, object := range content.FindElements("./SPEC-OBJECTS/SPEC-OBJECT") {
		all = append(all, complete(stated(object, names)))
	}
	return unique(all), nil
}

// namesOf are the long names of attributes and of values of enumerations, by their identifiers.
func namesOf(content *etree.Element) map[string]string {
	names := map[string]string{}
	for _, defined := range append(content.FindElements(".//SPEC-ATTRIBUTES/*"), content.FindElements(".//SPECIFIED-VALUES/ENUM-VALUE")...) {
		names[defined.SelectAttrValue("IDENTIFIER", "")] = defined.SelectAttrValue("LONG-NAME", "")
	}
	return names
}

func stated(object *etree.Element, names map[string]string) Stated {
	s := Stated{Fields: map[string]string{}}
	for _, value := range object.FindElements("./VALUES/*") {
		key := keyOf(names[definitionOf(value)])
		if other, is := others[key]; is {
			key = other
		}
		if text := strings.TrimSpace(textOf(value, names)); text != "" {
			s.Fields[key] = text
		}
	}
	s.ID = cmp.Or(s.Fields["id"], object.SelectAttrValue("LONG-NAME", ""), object.SelectAttrValue("IDENTIFIER", ""))
	if s.Fields["says"] == "" {
		s.Fields["says"] = cmp.Or(s.Fields["text"], s.Fields["name"])
	}
	return s
}

// definitionOf is the identifier of the attribute that a value is of.
func definitionOf(value *etree.Element) string {
	if ref := value.FindElement("./DEFINITION/*"); ref != nil {
		return strings.TrimSpace(ref.Text())
	}
	return ""
}

// textOf is a value in words: of rich text its words, of an enumeration the names of what is chosen.
func textOf(value *etree.Element, names map[string]string) string {
	if attribute := value.SelectAttr("THE-VALUE"); attribute != nil {
		return attribute.Value
	}
	var parts []string
	for _, chosen := range value.FindElements("./VALUES/ENUM-VALUE-REF") {
		parts = append(parts, names[strings.TrimSpace(chosen.Text())])
	}
	if rich := value.SelectElement("THE-VALUE"); rich != nil {
		parts = append(parts, strings.Join(strings.Fields(wordsOf(rich)), " "))
	}
	return strings.Join(parts, ", ")
}

func wordsOf(e *etree.Element) string {
	var out strings.Builder
	for _, child := range e.Child {
		switch c := child.(type) {
		case *etree.CharData:
			out.WriteString(c.Data + " ")
		case *etree.Element:
			out.WriteString(wordsOf(c))
		}
	}
	return out.String()
}

// An Answer is what is written of a requirement: attributes by their long names, in their order.
type Answer struct {
	ID     string
	Values [][2]string
}

// Answered writes answers into the objects of a ReqIF file that have their ids, as attributes of their own. All else stays as it is. It returns which
// answers found no object.
func Answered(text []byte, answers []Answer, at time.Time) (written []byte, missing []string, err error) {
	doc, content, err := opened(text)
	if err != nil {
		return nil, nil, err
	}
	objects := map[string]*etree.Element{}
	names := namesOf(content)
	for _, object := range content.FindElements("./SPEC-OBJECTS/SPEC-OBJECT") {
		objects[stated(object, names).ID] = object
	}
	for _, answer := range answers {
		object := objects[answer.ID]
		if object == nil {
			missing = append(missing, answer.ID)
			continue
		}
		kind := ""
		if ref := object.FindElement("./TYPE/SPEC-OBJECT-TYPE-REF"); ref != nil {
			kind = strings.TrimSpace(ref.Text())
		}
		for _, value := range answer.Values {
			definition, err := defined(content, kind, value[0], at)
			if err != nil {
				return nil, nil, fmt.Errorf("%s: %w", answer.ID, err)
			}
			set(object, definition, value[1])
		}
		object.CreateAttr("LAST-CHANGE", stamp(at))
	}
	written, err = doc.WriteToBytes() // as it was laid out: blanks may mean something in rich text
	return written, missing, err
}

// textType is the identifier of the data type of what is written here.
const textType = "ropebench-text"

// defined is the identifier of an attribute of a type of objects, which is made where it is not there.
func defined(content *etree.Element, kind, name string, at time.Time) (string, error) {
	for _, of := range content.FindElements("./SPEC-TYPES/SPEC-OBJECT-TYPE") {
		if of.SelectAttrValue("IDENTIFIER", "") != kind {
			continue
		}
		attributes := child(of, "SPEC-ATTRIBUTES")
		for _, one := range attributes.ChildElements() {
			if one.Tag == "ATTRIBUTE-DEFINITION-STRING" && one.SelectAttrValue("LONG-NAME", "") == name {
				return one.SelectAttrValue("IDENTIFIER", ""), nil
			}
		}
		types := child(content, "DATATYPES")
		if content.FindElement("./DATATYPES/*[@IDENTIFIER='"+textType+"']") == nil {
			described(types.CreateElement("DATATYPE-DEFINITION-STRING"), textType, "Text", at).CreateAttr("MAX-LENGTH", "32000")
		}
		attribute := described(attributes.CreateElement("ATTRIBUTE-DEFINITION-STRING"), kind+"-"+name, name, at)
		attribute.CreateElement("TYPE").CreateElement("DATATYPE-DEFINITION-STRING-REF").SetText(textType)
		return kind + "-" + name, nil
	}
	return "", fmt.Errorf("its type %q is not among the SPEC-TYPES of the file", kind)
}

// set gives an object the value of an attribute.
func set(object *etree.Element, definition, text string) {
	values := child(object, "VALUES")
	for _, value := range values.ChildElements() {
		if definitionOf(value) == definition {
			value.CreateAttr("THE-VALUE", text)
			return
		}
	}
	value := values.CreateElement("ATTRIBUTE-VALUE-STRING")
	value.CreateAttr("THE-VALUE", text)
	value.CreateElement("DEFINITION").CreateElement("ATTRIBUTE-DEFINITION-STRING-REF").SetText(definition)
}

// child is that of a name, which is made where it is not there.
func child(e *etree.Element, name string) *etree.Element {
	if found := e.SelectElement(name); found != nil {
		return found
	}
	return e.CreateElement(name)
}

func described(e *etree.Element, identifier, name string, at time.Time) *etree.Element {
	e.CreateAttr("IDENTIFIER", identifier)
	e.CreateAttr("LAST-CHANGE", stamp(at))
	e.CreateAttr("LONG-NAME", name)
	return e
}

func stamp(at time.Time) string { return at.UTC().Format("2006-01-02T15:04:05Z") }

// NewReqIF is a file with an object for each answer, and nothing else.
func NewReqIF(title, program string, answers []Answer, at time.Time) ([]byte, error) {
	doc := etree.NewDocument()
	doc.CreateProcInst("xml", `version="1.0" encoding="UTF-8"`)
	root := doc.CreateElement("REQ-IF")
	root.CreateAttr("xmlns", namespace)
	header := root.CreateElement("THE-HEADER").CreateElement("REQ-IF-HEADER")
	header.CreateAttr("IDENTIFIER", "ropebench-header")
	for _, field := range [][2]string{{"CREATION-TIME", stamp(at)}, {"REQ-IF-TOOL-ID", program}, {"REQ-IF-VERSION", "1.2"}, {"SOURCE-TOOL-ID", program}, {"TITLE", title}} {
		header.CreateElement(field[0]).SetText(field[1])
	}
	content := root.CreateElement("CORE-CONTENT").CreateElement("REQ-IF-CONTENT")
	content.CreateElement("DATATYPES")
	types := content.CreateElement("SPEC-TYPES")
	described(types.CreateElement("SPEC-OBJECT-TYPE"), "ropebench-requirement", "Requirement", at)
	described(types.CreateElement("SPECIFICATION-TYPE"), "ropebench-list", "List", at)
	objects := content.CreateElement("SPEC-OBJECTS")
	list := described(content.CreateElement("SPECIFICATIONS").CreateElement("SPECIFICATION"), "ropebench-requirements", title, at)
	list.CreateElement("TYPE").CreateElement("SPECIFICATION-TYPE-REF").SetText("ropebench-list")
	children := list.CreateElement("CHILDREN")
	for _, answer := range answers {
		object := described(objects.CreateElement("SPEC-OBJECT"), "ropebench-"+answer.ID, answer.ID, at)
		object.CreateElement("TYPE").CreateElement("SPEC-OBJECT-TYPE-REF").SetText("ropebench-requirement")
		place := children.CreateElement("SPEC-HIERARCHY")
		place.CreateAttr("IDENTIFIER", "ropebench-place-"+answer.ID)
		place.CreateAttr("LAST-CHANGE", stamp(at))
		place.CreateElement("OBJECT").CreateElement("SPEC-OBJECT-REF").SetText("ropebench-" + answer.ID)
	}
	text, err := doc.WriteToBytes()
	if err != nil {
		return nil, err
	}
	written, _, err := Answered(text, answers, at)
	if err != nil {
		return nil, err
	}
	laidOut := etree.NewDocument()
	if err := laidOut.ReadFromBytes(written); err != nil {
		return nil, err
	}
	laidOut.Indent(2)
	return laidOut.WriteToBytes()
}
