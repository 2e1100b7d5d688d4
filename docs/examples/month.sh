#!/usr/bin/env bash
# A month from its files to its release, by command line alone. Safe to run again after it was stopped anywhere: what was done is
# not done twice.
#
#   PRAVIN_ADDRESS=http://127.0.0.1:8700 ANALYST=token APPROVER=token docs/examples/month.sh FEED MONTH RULES DECISIONS OUT FILE...
#
# RULES: a rulebook (YAML or JSON). DECISIONS: a JSON list of decisions about quarantined records. OUT: a folder.
set -euo pipefail

feed_name=$1 month=$2 rules=$3 decisions=$4 out=$5
files=("${@:6}")
here=$(cd "$(dirname "$0")/../.." && pwd)
mkdir -p "$out"

pravin() { "$here/pravin" api "$@"; }
part() { python3 -c 'import json, sys; print(json.load(sys.stdin)[sys.argv[1]])' "$1"; }

export PRAVIN_TOKEN=$ANALYST
feed=$(pravin new-feed "$feed_name" --key "$feed_name" | part slug)
delivery=$(pravin deliver "$feed" "${files[@]}" | part delivery)
pravin wait "$delivery" > "$out/delivery.json"
pravin findings "$delivery" > "$out/findings.json"
pravin rules "$feed" "$rules" > "$out/rules.json"
pravin run "$delivery" --key "$feed-$month-run" > "$out/run.json"
pravin quarantine "$delivery" --to "$out/quarantined.csv" > "$out/quarantine.json"
pravin decide "$delivery" "$decisions" > "$out/decided.json"
pravin propose "$delivery" --word "$month by the schedule" --key "$feed-$month-propose" > "$out/proposal.json"

export PRAVIN_TOKEN=$APPROVER
release=$(pravin publish "$delivery" --key "$feed-$month-publish" | part id)
pravin download "$release" --to "$out/ready.csv" > "$out/ready.json"
pravin download "$release" --form package --to "$out/package.zip" > "$out/package.json"
pravin verify "$release" > "$out/verified.json"
echo "delivery $delivery is release $release"
