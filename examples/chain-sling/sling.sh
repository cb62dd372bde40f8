#!/bin/sh
# A sling of four chains. Rope Bench starts this script once and asks it for each design: one line of JSON-RPC 2.0 on the standard
# input, one line as answer. sed takes the numbers out of the question, awk computes.
number() { printf '%s' "$line" | sed -n "s/.*\"$1\":\([-+0-9.eE]*\).*/\1/p"; }

while read -r line; do
  awk -v id="$(number id)" -v load="$(number load)" -v chain="$(number chain_length)" -v reach="$(number reach)" 'BEGIN {
    height = chain^2 - reach^2
    if (height <= 0) {
      printf "{\"jsonrpc\": \"2.0\", \"id\": %d, \"error\": {\"code\": 1, \"message\": \"the chains are too short for a reach of %g m\"}}\n", id, reach
      exit
    }
    height = sqrt(height)
    printf "{\"jsonrpc\": \"2.0\", \"id\": %d, \"result\": {\"outputs\": {\"pull\": %.9g, \"height\": %.9g, \"angle\": %.9g}}}\n",
      id, load * chain / height / 3, height, atan2(reach, height) * 57.29577951
  }'
done
