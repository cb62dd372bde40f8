#!/usr/bin/env bash
# Takes the pictures of docs/screenshots anew, from the demo: terminal windows under Xvfb, pages in headless Chromium.
set -euo pipefail
cd "$(dirname "$0")/.."
bash scripts/install-debian.sh chromium calculix-ccx xvfb xterm imagemagick fonts-dejavu-core
here=$PWD
out=$here/docs/screenshots
export PATH=$PWD/bin:$PATH
CGO_ENABLED=0 go build -o bin/shots ./scripts/shots
folder=$(mktemp -d)
started=()
finish() {
  for pid in "${started[@]}"; do kill "$pid" 2>/dev/null || true; done
  wait
  rm -rf "$folder"
}
trap finish EXIT

export DISPLAY=:78
Xvfb $DISPLAY -screen 0 1280x800x24 >/dev/null 2>&1 &
started+=($!)
mkdir "$folder/zipline"
cp examples/zipline/* "$folder/zipline"
cd "$folder"
export ROPEBENCH_DATA=$folder/data
ropebench serve >serve.log 2>&1 &
started+=($!)
until [ -e data/service.json ]; do sleep 0.05; done

terminal() { # NAME SECONDS COMMAND: a terminal window, as it looks after some seconds
  xterm -geometry 156x47+0+0 -fa 'DejaVu Sans Mono' -fs 10 -bg '#faf8f4' -fg '#1d2a33' -e bash -c "PS1=; echo '\$ $3'; $3; sleep 60" &
  local pid=$!
  sleep "$2"
  import -window root "$out/$1.png"
  kill $pid
  wait $pid 2>/dev/null || true
}

bench=zipline/zipline.bench.yaml
terminal try 3 "ropebench try $bench"
ropebench run $bench look >/dev/null
sed 's/\[zipsim, brake.deck\]/[zipsim, "-slow=100ms", brake.deck]/' $bench >zipline/slow.bench.yaml
terminal progress 7 "ropebench run zipline/slow.bench.yaml best"
ropebench stop 3 >/dev/null
terminal run 9 "ropebench run $bench best"
ropebench run $bench gentle >/dev/null
ropebench pick 4 cheap --because "the cheapest that meets every requirement" >/dev/null
ropebench pick 5 gentle --because "the least peak, for riders who fear it" >/dev/null
terminal verify 2 "ropebench verify 4"
ropebench explore zipline >/dev/null
terminal explore-terminal 3 "ropebench explore zipline"
trade=$(ropebench run $bench trade --json 2>/dev/null | sed -n 's/^ *"run": \([0-9]*\),.*/\1/p')
cp -r "$here/examples/sheave-bracket" .
ropebench try sheave-bracket/bracket.bench.yaml >/dev/null || true
ropebench verify cheap --around >/dev/null
ropebench run $bench riders --start cheap >/dev/null
ropebench run $bench best --seed 2 >/dev/null
ropebench run $bench best --hold springs=3 >/dev/null
cp -r "$here/examples/mill-lift" .
lift=$(ropebench run mill-lift/mill-lift.bench.yaml calm --json 2>/dev/null | sed -n 's/^ *"run": \([0-9]*\),.*/\1/p')
shots "$(ropebench link)" "/bench/mill-lift/improve/$lift=$out/over-scatter.png" /bench/zipline/decide/runs="$out/runs.png" /bench/bracket/model/decks="$out/decks.png" /bench/zipline/model/files="$out/files.png" /bench/zipline/model="$out/model.png" /bench/zipline/explore="$out/explore.png" /bench/zipline/explore/2/surfaces="$out/surfaces.png" /bench/zipline/improve/4="$out/improve.png" "/bench/zipline/improve/$trade#Trade-off=$out/front.png" \
  /bench/zipline/decide="$out/decide.png" /bench/zipline/decide/what-if="$out/what-if.png" /bench/zipline/prove="$out/prove.png" "/v1/benches/zipline/report?candidate=cheap=$out/report.png"
sed -i 's/nominal: 6, range: \[3, 12\]/nominal: 6, range: [3, 14]/; s/at_most: 2.5, reserve: 0.1/at_most: 2.4, reserve: 0.1/' $bench
ropebench try $bench >/dev/null || true
shots "$(ropebench link)" /bench/zipline/model/revisions="$out/revisions.png"
