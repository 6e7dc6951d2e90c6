#!/bin/sh
# A pipeline of any server, stage by stage: two machines run half of the checks each, what failed is run again, one job
# joins what they left, makes the report, publishes it and judges. Each stage stands alone, as a job of its own does.
#     examples/pipeline/pipeline.sh WORK REPORTS [OPTIONS OF REPORT]
# WORK is where jobs work and leave artifacts; REPORTS is where reports are published: a folder, a branch, a server.
set -eu
work=$1 reports=$2
shift 2
artifacts="$work/artifacts"
mkdir -p "$artifacts"

run_checks() {  # FILE, then check=outcome: your runner, which writes JUnit XML or a record
    file=$1
    shift
    {
        echo '<testsuite name="Booking desk">'
        for pair in "$@"; do
            inside=''
            [ "${pair#*=}" = passed ] || inside='<failure message="The fare service did not answer"/>'
            echo "<testcase classname=\"desk\" name=\"${pair%=*}\" time=\"1.5\">$inside</testcase>"
        done
        echo '</testsuite>'
    } >"$file"
}

# Stage 1, on each machine: run a share of the checks and keep the results as artifacts, also where checks failed.
run_checks "$artifacts/shard-1.xml" quote=passed seats=failed
run_checks "$artifacts/shard-2.xml" pay=passed refund="${REFUND:-failed}"

# Stage 2: run again what failed. A pass here supersedes a failure there, and the page says that it took two goes.
run_checks "$artifacts/again.xml" seats=passed

# Stage 3, whatever the stages before did: join the artifacts, report, publish. Build, branch, commit and job come from
# the variables that the server sets. A shard that is missing makes the verdict undecided, never fit.
plain-verdict report "$artifacts/shard-*.xml" --retry "$artifacts/again.xml" --expect-files 3 --title "Booking desk" \
    --out "$work/page/{fact:build}.html" --publish "$reports" --index --latest newest.html \
    --markdown "$work/summary.md" --junit "$work/judged.xml" "$@"

# Stage 4: stop the line. The page is out already, whatever comes of this.
plain-verdict judge "$artifacts/shard-*.xml" --retry "$artifacts/again.xml" --expect-files 3
