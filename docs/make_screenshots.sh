#!/usr/bin/env bash
# Make the pictures in docs/screenshots/ from the demo data; with names, only these.
# Needs wetcomb[all] on the PATH and Debian's packages xvfb, xterm, imagemagick, fonts-dejavu, chromium and libreoffice-calc.
set -euo pipefail
names=" $* "
wanted() { [ "$names" = "  " ] || [[ $names == *" $1 "* ]]; }
here=$(cd "$(dirname "$0")" && pwd)
work=$(mktemp -d)
trap 'kill "$server" 2>/dev/null || true; rm -rf "$work"' EXIT
export DISPLAY=:${SCREENSHOT_DISPLAY:-77}
Xvfb "$DISPLAY" -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
sleep 2
mkdir -p "$here/screenshots"
cd "$work"
wetcomb demo canal --quiet

shot() { # NAME COMMAND [SIZE OF LETTERS]: run the command in a terminal of 1280x800, keep its picture
  wanted "$1" || return 0
  rm -f done
  xterm -geometry "${4:-140x42}+0+0" -fa 'DejaVu Sans Mono' -fs "${3:-11}" -bg '#10161c' -fg '#d8dee4' \
    -e bash -c "cd canal; printf '\$ %s\n' \"$2\"; $2; touch ../done; sleep 30" &
  local terminal=$!
  for _ in $(seq 100); do [ -e done ] && break; sleep 0.2; done
  sleep 1
  import -window root "$here/screenshots/$1.png"
  kill "$terminal" 2>/dev/null || true
  wait "$terminal" 2>/dev/null || true
}

shot inspect 'wetcomb inspect register.txt' 13 105x33
shot moves 'wetcomb rebuild register.txt -o register.csv --moves | tail -n 60' 10 158x49
wetcomb rebuild canal/register.txt -o mended.csv --figure "$here/screenshots/figure.png" --force --quiet
shot labels 'wetcomb rebuild permits.txt -o permits.csv; head -4 permits.csv'
wetcomb rebuild canal/permits.txt -o canal/permits.csv --force --quiet
shot clean "wetcomb clean permits.csv --read comma --number 'Fee=12.5 marks' --date 'From,To=2031-07-13' --fix '3:Berth=A15' --sort=-Fee --must 'unique Boat' --must 'sum Fee=300' -o clean.csv; head -4 clean.csv"
printf '%s\n' 'Permits for the basin' '' 'Tansy, Orrin Basin, coal, 4.50' 'Heron Wake, Halden Top, slate, 12.25' 'Old Regret, Lamb Lock, lime, burnt, 3.00' \
  'Wren, Weir Gate, coal, 7.75' 'Mother Carey, Orrin Basin, timber, oak, 11.00' 'Plover, Lamb Lock, coal, 2.50' 'Coot, Orrin Basin, slate, 8.25' \
  'Two Sisters, Weir Gate, lime, burnt, 6.00' 'Rook, Halden Top, coal, 4.75' 'Teal, Lamb Lock, slate, 5.50' > canal/goods.txt
shot ways 'wetcomb inspect goods.txt'
shot report 'wetcomb rebuild tolls.txt -o tolls.csv; head -5 tolls.csv'
shot preview 'wetcomb rebuild notices.txt --quiet'
shot account 'wetcomb rebuild notices.txt -o account.csv'
shot demo 'wetcomb demo shown'
shot steps 'wetcomb rebuild register.txt --show-steps -o steps.csv' 11 140x42
shot extremes 'wetcomb rebuild notices.txt -o extremes.csv --extremes' 11 140x42
page() { # NAME PAGE OPTIONS: keep a picture of a page in a browser without a screen
  wanted "$1" || return 0
  chromium --headless=new --no-sandbox --hide-scrollbars --window-size=1280,800 "${@:3}" --screenshot="$here/screenshots/$1.png" "file://$work/$2" >/dev/null 2>&1
}
wetcomb rebuild canal/notices.txt -o sheet.csv --sheet sheet.html --quiet
page sheet sheet.html
wetcomb rebuild canal/register.txt -o register.html --quiet
page page register.html
wetcomb rebuild canal/tolls.txt --save-comb tolls.comb.toml -o first.csv --quiet || true
printf '\n[[step]]\ndo = "clean"\nnumber = ["Passages,Toll=1234.5"]\ndate = ["Date=2031-06-30"]\n' >> tolls.comb.toml
wetcomb rebuild canal/tolls.txt --comb tolls.comb.toml -o tolls.xlsx --quiet || true
if wanted spreadsheet; then
soffice --norestore --nologo --nofirststartwizard "-env:UserInstallation=file://$work/office" --calc tolls.xlsx >/dev/null 2>&1 &
office=$!
sleep "${OFFICE_SECONDS:-25}"
import -window root "$here/screenshots/spreadsheet.png"
kill "$office" 2>/dev/null || true
pkill -f "$work/office" 2>/dev/null || true
fi
wetcomb rebuild canal/register.txt -o canal/june.csv --quiet
sed -e '4s/coal/slate/' -e 7d -e '$a 01 Aug 2031,Wren,Orrin,coal,3.0,1.10' canal/june.csv > canal/wanted.csv
wetcomb draft canal/register.txt -o canal/register.comb.toml --quiet --force
wetcomb check canal/register.txt --comb canal/register.comb.toml --accept --quiet
sed -e '9s/18.2/04 Jun/' -e 's/Weir Gate/Weir Lock/' canal/register.txt > canal/july.txt
shot holding 'wetcomb compare june.csv wanted.csv; wetcomb check july.txt --comb register.comb.toml'
shot why 'wetcomb rebuild register.txt -o why.csv --why 5'
printf '%s\n' 'No;Keeper;Berth' '1;Ada Marsh;Orrin (Top)' '2;Bram Oake;Halden (Low Lock)' '3;Jan van Dyke;Sallow' '4;Nell Tarn;Mere (East)' '5;Otto Lind;Orrin (Quay)' > canal/keepers.txt
shot example "wetcomb rebuild keepers.txt --example '1 | Ada | Marsh | Orrin | Top' -o keepers.csv; cat keepers.csv" 12 118x36
shot errors 'wetcomb rebuild notices.csv --hedaer none; wetcomb rebuild notice.txt; wetcomb rebuild notices.txt -o notices.txt; wetcomb split notices.txt --take 1,9'
