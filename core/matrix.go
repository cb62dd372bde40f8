package core

// A Matrix is a table of numbers, row by row. A part of one shares its numbers.
type Matrix struct {
	Rows, Columns int
	Stride        int // from one row to the next in Data
	Data          []float64
}

// NewMatrix returns a matrix of zeros.
func NewMatrix(rows, columns int) Matrix {
	return Matrix{Rows: rows, Columns: columns, Stride: columns, Data: make([]float64, rows*columns)}
}

// MatrixOf returns a matrix with the numbers of rows, which have one length.
func MatrixOf(rows [][]float64) Matrix {
	m := Matrix{Rows: len(rows)}
	if len(rows) > 0 {
		m.Columns, m.Stride = len(rows[0]), len(rows[0])
	}
	for _, row := range rows {
		m.Data = append(m.Data, row...)
	}
	return m
}

// Row is the i-th row: changes of it change the matrix.
func (m Matrix) Row(i int) []float64 {
	from := i * m.Stride
	return m.Data[from : from+m.Columns : from+m.Columns]
}

// Part is the columns from one on up to, without, another.
func (m Matrix) Part(from, to int) Matrix {
	if len(m.Data) == 0 {
		return Matrix{Rows: m.Rows, Columns: to - from, Stride: m.Stride}
	}
	return Matrix{Rows: m.Rows, Columns: to - from, Stride: m.Stride, Data: m.Data[from:]}
}

// Slice is the rows from one on up to, without, another.
func (m Matrix) Slice(from, to int) Matrix {
	return Matrix{Rows: to - from, Columns: m.Columns, Stride: m.Stride, Data: m.Data[min(from*m.Stride, len(m.Data)):]}
}
