#!/usr/bin/env bash
# Runs every test and ends with a line that counts them.
set -uo pipefail
cd "$(dirname "$0")/.."
log=$(mktemp)
trap 'rm -f "$log"' EXIT

CGO_ENABLED=0 go test -json -timeout 15m ./... >"$log"
go_code=$?
count() { # action: one line for each test or subtest that ended so
  grep -c "\"Action\":\"$1\",.*\"Test\":" "$log" || true
}
passed=$(count pass)
failed=$(count fail)
skipped=$(count skip)
if [ "$go_code" -ne 0 ]; then
  # What failed, in the words of the tests; a package that does not build has no test.
  grep -E '"Action":"(output|build-output)"' "$log" | sed -E 's/.*"Output":"(.*)"\}$/\1/; s/\\n$//; s/\\t/\t/g; s/\\"/"/g' | grep -vE '^ *(=== |ok |PASS|--- PASS|\?   )' | tail -150
  grep '"Action":"fail"' "$log" | grep '"Test":' | sed -E 's/.*"Package":"([^"]*)","Test":"([^"]*)".*/FAILED: \1 \2/'
  [ "$failed" -eq 0 ] && failed=1
fi

(cd console && npm test --silent -- --reporter=json --outputFile="$log.console" >/dev/null 2>"$log.err")
console_code=$?
number() { node -p "JSON.parse(require('fs').readFileSync('$log.console', 'utf8')).$1" 2>/dev/null || echo 0; }
passed=$((passed + $(number numPassedTests)))
failed=$((failed + $(number numFailedTests)))
if [ "$console_code" -ne 0 ]; then
  cat "$log.err"
  node -e "for (const f of JSON.parse(require('fs').readFileSync('$log.console','utf8')).testResults) for (const t of f.assertionResults) if (t.status !== 'passed') console.log(t.fullName, t.failureMessages.join('\n'))" 2>/dev/null
  [ "$failed" -eq 0 ] && failed=1
fi
rm -f "$log.console" "$log.err"

echo "$passed passed, $failed failed, $skipped skipped"
[ "$failed" -eq 0 ]
