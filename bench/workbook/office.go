package workbook

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// The programs by which LibreOffice is asked. Its interface for Python is made for that of the system.
const (
	OfficeProgram = "soffice"
	OfficePython  = "/usr/bin/python3"
)

// The words by which a step says what calculates its workbook.
const (
	ByOffice  = "libreoffice"
	ByBuiltIn = "built-in"
)

// OfficeOnly is true for a workbook that only LibreOffice reads.
func OfficeOnly(file string) bool { return strings.EqualFold(filepath.Ext(file), ".ods") }

// FindOffice says what is missing for LibreOffice to calculate; nil where nothing is.
func FindOffice() error {
	_, err := exec.LookPath(OfficeProgram)
	if _, pythonErr := os.Stat(OfficePython); err != nil || pythonErr != nil {
		return fmt.Errorf("LibreOffice is not found (%w): install libreoffice-calc and python3-uno", errors.Join(err, pythonErr))
	}
	return nil
}

// At is the i-th cell, row by row.
func (a Address) At(i int) string {
	width := a.LastCol - a.Col + 1
	return cell{sheet: a.Sheet, col: a.Col + i%width, row: a.Row + i/width}.String()
}
