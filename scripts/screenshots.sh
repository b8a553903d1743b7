#!/usr/bin/env bash
# Renews docs/screenshots from the demo data: terminal output drawn as text, and the contact sheet.
# Needs a build (./demo.sh) and the Debian package pango1.0-tools, and chromium-headless-shell for the page.
set -euo pipefail
cd "$(dirname "$0")/.."
mellow=$PWD/build/demo/mellow
out=$PWD/docs/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"

# Draws a command and its output, as a terminal would show it.
shot() {
  local name=$1; shift
  { echo "\$ $*"; "$@" 2>&1 || true; } >"$name.txt"
  pango-view -q --no-display --font='DejaVu Sans Mono 9.5' --dpi=100 --margin=18 --width=930 --wrap=char \
    --background='#16211b' --foreground='#dfe8dc' --output="$out/$name.png" "$name.txt"
}
mellow() { "$mellow" "$@"; }
# A page after a script has run on it, which is removed.
page() {
  sed -i "s#</body>#<script>$3</script></body>#" "$1"
  HOME=$work XDG_CONFIG_HOME=$work XDG_CACHE_HOME=$work chromium-headless-shell --no-sandbox \
    --use-angle=swiftshader --enable-unsafe-swiftshader --user-data-dir="$work/profile" --hide-scrollbars \
    --force-device-scale-factor=1 --window-size=1280,800 --virtual-time-budget=6000 \
    --screenshot="$out/$2.png" "file://$PWD/$1" >/dev/null 2>&1
  rm "$1"
}

mellow demo orchard --data-only --quiet
cd orchard
shot describe mellow describe tamsin.glb
shot help mellow help
shot draft mellow draft tamsin.glb --rig tamsin.rig.toml -o first.recipe.toml
rm first.recipe.toml
shot pack mellow pack tamsin.recipe.toml
shot dry-run mellow pack tamsin.recipe.toml --dry-run --replace
mellow convert crates/tamsin/clips/pick.glb pick.bvh --quiet
shot convert mellow convert crates/tamsin/clips/pick.glb pick.dae --order ZXY --order head=YXZ --target z-up-centimetre
shot compare mellow compare crates/tamsin/clips/pick.glb pick.bvh --ignore weights
cp crates/tamsin/sheet.png "$out/sheet.png"
mellow pack press.recipe.toml --quiet
cp crates/press/sheet.png "$out/press.png"
mellow pack engines.recipe.toml --quiet
# What somebody else delivers: a clip at another rate, and one with right-handed numbers.
mkdir -p delivery/anim/move
cp crates/engines/orchard/tamsin.glb delivery
cp crates/engines/orchard/anim/move/tamsin_walk_101.glb delivery/anim/move
mellow convert delivery/anim/move/tamsin_walk_101.glb delivery/anim/move/tamsin_run_103.glb --to-rate 24 --target z-up-centimetre --quiet
shot check mellow check delivery --target targets/orchard.target.toml
rm -r delivery crates/engines
mellow pack round.recipe.toml --quiet
cp crates/round/sheet.png "$out/round.png"
# The page at a moment that shows much of it.
mellow view crates/round -o round.html --quiet
page round.html page "mellow.select('round'); mellow.seek(3.2); App.curve = 'angles'; openTab('curves'); pick('hand.R', true); document.querySelector('[data-shown=ends]').click();"
rm -r crates/round
mellow view tamsin.recipe.toml -o tamsin.html --quiet
page tamsin.html source "mellow.select('walk'); mellow.seek(0.5); openTab('source'); pick('hand.R', true); document.querySelector('[data-shown=skin]').click(); document.querySelector('[data-shown=apart]').click();"
rm -f "$out/trail.png"
mellow view crates/tamsin -o "$out/trail.png" --what trail --match walk --quiet
mellow pack yard.recipe.toml --quiet
mellow play crates/yard --states yard.states.toml -o yard.html --quiet
page yard.html play "mellow.press('walking'); for (let i = 0; i < 75; ++i) States.advance(1 / 30); mellow.press('carrying'); for (let i = 0; i < 7; ++i) States.advance(1 / 30); play(false);"
rm -r crates/yard
mellow pack shift.recipe.toml --quiet
sed -i 's/range = \[0, 48\]/range = [0, 72]/' shift.recipe.toml
mellow pack shift.recipe.toml --replace --quiet
shot crates mellow compare crates/shift.backup-1 crates/shift
rm -r crates/shift crates/shift.backup-1 motions broken
shot folder mellow describe .
shot rig mellow describe press.glb --rig press.rig.toml
shot lift mellow lift crates/tamsin/clips/walk.glb tamsin.glb --rig tamsin.rig.toml -o again.glb --unit centimetre --up +Z --front -Y
