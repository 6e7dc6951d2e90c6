#!/bin/sh
# Five nights of a pipeline, one report each; what is new and what is fixed is known from the pages of the nights before.
#     examples/nightly/five-nights.sh FOLDER [OPTIONS OF REPORT, like --history history.db --no-find-previous]
set -eu
folder=$1
shift
mkdir -p "$folder"

night() {  # NUMBER, then check=outcome for each check
    number=$1
    shift
    results="$folder/results.xml"
    echo "<testsuite name=\"Booking desk\" timestamp=\"2026-11-0${number}T02:00:00Z\">" >"$results"
    for pair in "$@"; do
        case $pair in
            *=failed) inside='<failure message="The fare service did not answer"/>' ;;
            *=skipped) inside='<skipped message="no ferry in winter"/>' ;;
            *) inside='' ;;
        esac
        echo "<testcase classname=\"desk\" name=\"${pair%=*}\" time=\"1.$number\">$inside</testcase>" >>"$results"
    done
    echo "</testsuite>" >>"$results"
}

report() {  # NUMBER, then options
    number=$1
    shift
    plain-verdict report "$folder/results.xml" --out "$folder/night-$number.html" --build "$number" --title "Booking desk" \
        --no-git "$@" | head -n 1
}

night 1 quote=passed seats=passed pay=passed refund=skipped; report 1 "$@"
night 2 quote=passed seats=failed pay=passed refund=skipped; report 2 "$@"
night 3 quote=failed seats=failed pay=passed refund=passed;  report 3 "$@"
night 4 quote=passed seats=failed pay=passed refund=passed;  report 4 "$@"
night 5 quote=passed seats=passed pay=passed refund=passed;  report 5 "$@"
plain-verdict history compare 4 5 --previous "$folder" | head -n 6
