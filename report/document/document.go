package document

// A Document is a title and blocks, which every format writes in its own way.
type Document struct {
	Title  string
	Under  string // the title
	Blocks []Block
}

// A Block is one of its fields.
type Block struct {
	Heading   string
	Paragraph string
	Attention string // a paragraph that must not be passed over
	Verdict   string // the answer, in a sentence
	Items     []string
	Text      string // as it stands, in a font of even width
	Table     *Table
	Figure    *Figure
}

// A Table has a head and rows of as many cells. Right tells which columns hold numbers.
type Table struct {
	Head  []string
	Right []bool
	Rows  [][]string
}

func (d *Document) heading(text string)   { d.Blocks = append(d.Blocks, Block{Heading: text}) }
func (d *Document) paragraph(text string) { d.Blocks = append(d.Blocks, Block{Paragraph: text}) }
func (d *Document) attention(text string) { d.Blocks = append(d.Blocks, Block{Attention: text}) }
func (d *Document) items(all []string) {
	if len(all) > 0 {
		d.Blocks = append(d.Blocks, Block{Items: all})
	}
}
func (d *Document) table(t Table) { d.Blocks = append(d.Blocks, Block{Table: &t}) }

func (d *Document) figures(s Subject, chapter string) {
	for i := range s.Figures {
		if s.Figures[i].Chapter == chapter {
			d.Blocks = append(d.Blocks, Block{Figure: &s.Figures[i]})
		}
	}
}
