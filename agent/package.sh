#!/usr/bin/env bash
# Makes the agent's package: a Java runtime of the two modules that it needs, its jars, and a starter. Does nothing when they have not changed.
set -euo pipefail
cd "$(dirname "$0")/target"
bin=${JAVA_HOME:-$(dirname "$(dirname "$(readlink -f "$(command -v javac)")")")}/bin
out=classes/bargelane/agent/package
sum=$({ find classes -path "$PWD/$out" -prune -o -name '*.class' -print0 | sort -z | xargs -0 sha256sum; for jar in lib/*.jar; do unzip -qq -v "$jar" 2>/dev/null | awk '{print $7, $8}' || sha256sum "$jar"; done; sha256sum ../package.sh; "$bin/java" -version 2>&1; } | sha256sum | cut -d' ' -f1)
name=linux-$(uname -m).tar.gz
[ -f "$out/$name" ] && [ "$(cat package.sum 2>/dev/null || true)" = "$sum" ] && exit 0
rm -rf image "$out"
mkdir -p "$out"
"$bin/jlink" --add-modules java.base,jdk.crypto.ec --strip-java-debug-attributes --no-header-files --no-man-pages --compress=2 --output image/runtime
mkdir -p image/lib image/bin
"$bin/jar" --create --date=2026-11-28T00:00:00Z --file image/lib/agent.jar -C classes bargelane
cp lib/*.jar image/lib/
cat > image/bin/bargelane-agent <<'S'
#!/bin/sh
here=$(cd "$(dirname "$0")/.." && pwd)
exec "$here/runtime/bin/java" -Xmx48m -Xss512k -XX:+UseSerialGC -XX:TieredStopAtLevel=1 -XX:-UsePerfData -cp "$here/lib/agent.jar:$here/lib/*" bargelane.agent.AgentMain "$@"
S
chmod 755 image/bin/bargelane-agent
tar --create --gzip --sort=name --owner=0 --group=0 --numeric-owner --mtime=@0 --directory image --file "$out/$name.new" .
mv "$out/$name.new" "$out/$name"
rm -rf image
echo "$sum" > package.sum
