"""Lets LibreOffice calculate workbooks: a request on each line of the standard input, an answer on each of the standard output.

A request is {"file": path, "set": [[sheet, row, column, value], ...], "get": [[sheet, row, column, last row, last column], ...],
"save": path, "once": false}; rows and columns count from 0. The answer is {"values": [[value, ...], ...]}, or {"error": text}. A value is a
number, a text, null for an empty cell, or {"error": "#DIV/0!"}.
"""
import json
import os
import subprocess
import sys
import time
import uuid

import uno
from com.sun.star.beans import PropertyValue
from com.sun.star.connection import NoConnectException
from com.sun.star.table.CellContentType import EMPTY, FORMULA, TEXT, VALUE

ERRORS = {502: "#VALUE!", 503: "#NUM!", 519: "#VALUE!", 524: "#REF!", 525: "#NAME?", 532: "#DIV/0!", 32767: "#N/A"}
FILTERS = {".xlsx": "Calc MS Excel 2007 XML", ".ods": "calc8"}
FORMULA_IS_TEXT, FORMULA_IS_NUMBER = 2, 1  # com.sun.star.sheet.FormulaResult


def option(name, value):
    made = PropertyValue()
    made.Name, made.Value = name, value
    return made


class Calculator:
    def __init__(self, program, profile):
        pipe = "ropebench-" + uuid.uuid4().hex
        self.office = subprocess.Popen(
            [program, "-env:UserInstallation=" + uno.systemPathToFileUrl(profile), "--headless", "--norestore", "--nologo",
             "--accept=pipe,name=%s;urp;" % pipe], stdin=subprocess.DEVNULL, stdout=sys.stderr)
        resolver = uno.getComponentContext().ServiceManager.createInstance("com.sun.star.bridge.UnoUrlResolver")
        while True:
            try:
                context = resolver.resolve("uno:pipe,name=%s;urp;StarOffice.ComponentContext" % pipe)
                break
            except NoConnectException:
                if self.office.poll() is not None:
                    raise RuntimeError("LibreOffice ended with exit code %d before it could be asked" % self.office.returncode)
                time.sleep(0.02)
        self.desktop = context.ServiceManager.createInstanceWithContext("com.sun.star.frame.Desktop", context)
        self.books = {}
        self.ranges = {}  # by file and place: asking for one costs as much as a small calculation

    def book(self, path):
        """The workbook of a file as it is now, its macros and links asleep."""
        info = os.stat(path)
        version = (info.st_mtime_ns, info.st_size)
        known, book = self.books.get(path, (None, None))
        if known == version:
            return book
        if book is not None:
            book.close(True)
        self.ranges = {key: found for key, found in self.ranges.items() if key[0] != path}
        book = self.desktop.loadComponentFromURL(uno.systemPathToFileUrl(path), "_blank", 0,
                                                 (option("Hidden", True), option("MacroExecutionMode", 0), option("UpdateDocMode", 0)))
        if book is None or not book.supportsService("com.sun.star.sheet.SpreadsheetDocument"):
            raise RuntimeError("LibreOffice cannot read it as a workbook")
        book.calculateAll()
        self.books[path] = (version, book)
        return book

    def answer(self, request):
        path = request["file"]
        book = self.book(path)
        for sheet, row, column, value in request.get("set", []):
            cell = self.cell_to_set(path, book, sheet, row, column)
            if isinstance(value, str):
                cell.setString(value)
            else:
                cell.setValue(value)
        book.calculateAll()  # calculate() leaves some cells as they were that depend on those that were set
        values = [values_of(self.range(path, book, *place)) for place in request["get"]]
        if request.get("once"):
            self.ranges = {key: found for key, found in self.ranges.items() if key[0] != path}
            del self.books[path]
            book.close(True)
        elif request.get("save"):
            kind = os.path.splitext(request["save"])[1].lower()
            book.storeToURL(uno.systemPathToFileUrl(request["save"]), (option("FilterName", FILTERS[kind]),))
        return {"values": values}

    def cell_to_set(self, path, book, sheet, row, column):
        key = (path, sheet, row, column)
        if key not in self.ranges:
            cell = self.range(path, book, sheet, row, column, row, column).getCellByPosition(0, 0)
            if cell.getType() == FORMULA:
                raise RuntimeError("%s holds the formula %s: set the cells that it depends on instead" % (name_of(cell), cell.getFormula()))
            self.ranges[key] = cell
        return self.ranges[key]

    def range(self, path, book, sheet, row, column, last_row, last_column):
        key = (path, sheet, row, column, last_row, last_column)
        if key not in self.ranges:
            sheets = book.getSheets()
            if not sheets.hasByName(sheet):
                raise RuntimeError('there is no sheet "%s"; the workbook has %s' % (sheet, ", ".join(sheets.getElementNames())))
            self.ranges[key] = sheets.getByName(sheet).getCellRangeByPosition(column, row, last_column, last_row)
        return self.ranges[key]


def name_of(cell):
    return cell.AbsoluteName.replace("$", "").replace(".", "!").replace("'", "")


def values_of(cells):
    """The values of a range, row by row."""
    rows = cells.getDataArray()
    if all(isinstance(value, float) for row in rows for value in row):
        return [value for row in rows for value in row]
    return [value_of(cells.getCellByPosition(c, r)) for r in range(len(rows)) for c in range(len(rows[0]))]


def value_of(cell):
    kind = cell.getType()
    if kind == EMPTY:
        return None
    if kind == VALUE:
        return cell.getValue()
    if kind == TEXT:
        return cell.getString()
    if cell.getError() != 0:
        return {"error": ERRORS.get(cell.getError(), "error %d" % cell.getError())}
    return cell.getString() if cell.FormulaResultType2 == FORMULA_IS_TEXT else cell.getValue()


def main():
    calculator = Calculator(sys.argv[1], sys.argv[2])
    for line in sys.stdin:
        try:
            reply = calculator.answer(json.loads(line))
        except Exception as error:  # whatever a workbook does ends this request only
            reply = {"error": getattr(error, "Message", None) or str(error) or type(error).__name__}
        print(json.dumps(reply), flush=True)
    try:
        calculator.desktop.terminate()
    except Exception:
        pass  # it ends the connection by which it was asked
    calculator.office.wait()


main()
