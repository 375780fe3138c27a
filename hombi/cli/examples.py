"""Two examples of each command, for its help. All of them work at Heron Mill."""

from __future__ import annotations

EXAMPLES: dict[str, tuple[str, ...]] = {
    "now": ("hombi now --room cheese-cellar", "hombi now --kind temperature --json"),
    "status": ("hombi status", "hombi status --json"),
    "history": (
        "hombi history cellar-rack/humidity --span week",
        'hombi history "Loft beam temperature" --from 2026-11-20 --to 2026-11-22',
    ),
    "compare": (
        "hombi compare cellar-rack/humidity boathouse-tag/humidity --span week",
        'hombi compare "Loft beam temperature" --earlier year --span month',
    ),
    "review": ("hombi review", "hombi review week --on 2026-11-20 --csv > week.csv"),
    "tally": (
        "hombi tally cellar-sump/pump-starts",
        'hombi tally "Drying room fan today" --json',
    ),
    "export": (
        "hombi export cellar-rack/humidity --span month --file humidity.csv",
        'hombi export "Loft beam temperature" --from 2026-11-01 --format senml',
    ),
    "import": (
        "hombi import loft-beam/temperature old-logger.csv --zone Europe/Berlin",
        'hombi import cellar-rack/humidity humidity.csv --value "RH %" --apply',
    ),
    "follow": ("hombi follow", "hombi follow cellar-rack/humidity --json"),
    "set": (
        "hombi set cellar-mister/switch on",
        "hombi set loft-reading-lamp switch=on level=60% colour=teal --taking '2 s'",
    ),
    "why": ("hombi why cellar-too-dry", 'hombi why cellar-too-dry --at "yesterday 02:10"'),
    "journal": ("hombi journal -n 10", "hombi journal --event AutomationStarted --follow"),
    "kinds": ("hombi kinds", "hombi kinds --json"),
    "pair": ("hombi pair", "hombi pair --for '5 min' --no-watch"),
    "arrivals": ("hombi arrivals", "hombi arrivals --json"),
    "admit": (
        'hombi admit "Hen house hatch" --code 4576-1943 --room "Hen house"',
        'hombi admit "Race gauge" --turn-away',
    ),
    "node list": ("hombi node list", "hombi node list --json"),
    "node show": ("hombi node show cellar-rack", 'hombi node show "Loft lamp" --json'),
    "node rename": (
        'hombi node rename cellar-rack "Rack by the door"',
        'hombi node rename "Loft beam" "Loft beam, north"',
    ),
    "node move": ("hombi node move loft-lamp Loft", "hombi node move loft-lamp ''"),
    "node remove": (
        "hombi node remove loft-lamp",
        "hombi node remove loft-lamp --with-history --yes",
    ),
    "node settings": (
        "hombi node settings cellar-rack",
        'hombi node settings cellar-rack interval "1 min"',
    ),
    "node do": ("hombi node do loft-vent", "hombi node do loft-vent wink input=3"),
    "node key": ("hombi node key wheel", "hombi node key wheel --revoke"),
    "node add": ('hombi node add "Weir board" --room Terrace', 'hombi node add "Hen scales"'),
    "node add-value": (
        "hombi node add-value wheel Speed --kind frequency --unit 1/min",
        "hombi node add-value wheel Bearing --kind temperature --pointer /bearing/t",
    ),
    "node look": ("hombi node look 192.0.2.20", "hombi node look http://192.0.2.20:8080/thing"),
    "node ask-again": ("hombi node ask-again terrace-plug", "hombi node ask-again loft-climate"),
    "node secret": ("hombi node secret loft-vent", "hombi node secret loft-vent vent:mild-air"),
    "node setup-code": (
        'hombi node setup-code "Hen house hatch"',
        "hombi node setup-code urn:uuid:7d1c0f4e-55a3-4c8e-9f0b-2a6d51c7e901 --png code.png",
    ),
    "node profile": (
        "hombi node profile terrace-plug > plug.toml",
        "hombi node profile terrace-plug plug.toml",
    ),
    "steps show": (
        "hombi steps show cellar-rack/humidity",
        "hombi steps show loft-beam/temperature --json",
    ),
    "steps steps": ("hombi steps steps", "hombi steps steps --json"),
    "steps try": (
        "hombi steps try cellar-rack/humidity 'low-pass time=\"5 min\"'",
        "hombi steps try loft-beam/temperature 'linear offset=-0.7' --span week",
    ),
    "steps set": (
        "hombi steps set cellar-rack/humidity 'linear offset=1.5' --past",
        "hombi steps set cellar-rack/humidity 'despike floor=0.5' 'low-pass time=\"5 min\"'",
    ),
    "steps undo": (
        "hombi steps undo cellar-rack/humidity",
        "hombi steps undo loft-beam/temperature --json",
    ),
    "calibrate": (
        "hombi calibrate loft-climate/temperature loft-beam/temperature --span day",
        "hombi calibrate loft-climate/temperature loft-beam/temperature --apply offset --past",
    ),
    "compute methods": ("hombi compute methods", "hombi compute methods --json"),
    "compute formula": (
        "hombi compute formula 'workshop-plug/power * 0.31 / 1 kWh * 1 h' --name \"Plug's price\"",
        "hombi compute formula 'max(loft-beam/humidity, drying-rack/humidity)' --name Dampest",
    ),
    "compute add": (
        "hombi compute add dew-point cellar-rack/temperature cellar-rack/humidity",
        'hombi compute add mean loft-beam/humidity loft-climate/humidity --name "Loft air"',
    ),
    "entity list": ("hombi entity list --node cellar-rack", "hombi entity list --kind humidity"),
    "entity show": (
        "hombi entity show cellar-rack/humidity",
        'hombi entity show "Cellar rack humidity" --json',
    ),
    "entity rename": (
        'hombi entity rename wheel/turns "Wheel turns"',
        'hombi entity rename "Cellar rack humidity" "Humidity at the rack"',
    ),
    "entity see": (
        'hombi entity see loft-beam/temperature --unit "°F"',
        'hombi entity see cellar-sump/depth --decimals 3 --keep "365 d"',
    ),
    "entity hide": ("hombi entity hide wheel/turns", "hombi entity hide wheel/turns --show"),
    "entity kind": (
        "hombi entity kind wheel/turns frequency --unit 1/min",
        "hombi entity kind herb-bed/soil-moisture moisture",
    ),
    "entity remove": (
        "hombi entity remove herb-bed/soil-moisture",
        "hombi entity remove herb-bed/soil-moisture --yes",
    ),
    "entity pick": (
        "hombi entity pick 'mill/{node}/state' --pointer /soil/moisture --kind moisture --try",
        "hombi entity pick 'mill/{node}/lamp/is' --kind switch --pointer /lamp "
        "--write-topic 'mill/{node}/lamp/want' --write '{\"lamp\": {1|0}}'",
    ),
    "room list": ("hombi room list", "hombi room list --json"),
    "room add": ('hombi room add "Apple store"', 'hombi room add Attic --floor "Upper floor"'),
    "room rename": (
        'hombi room rename loft "Sleeping loft"',
        'hombi room rename "Loft" "Top loft"',
    ),
    "room move": ("hombi room move loft --position 0", "hombi room move loft --floor 'Mill floor'"),
    "room remove": ("hombi room remove apple-store", 'hombi room remove "Apple store"'),
    "room add-floor": ("hombi room add-floor Attic", "hombi room add-floor Cellar --position 0"),
    "room rename-floor": (
        'hombi room rename-floor "Ground floor" "Mill floor"',
        "hombi room rename-floor Attic Roof",
    ),
    "room move-floor": ("hombi room move-floor Cellar 0", "hombi room move-floor Attic 3"),
    "room remove-floor": (
        "hombi room remove-floor Attic",
        'hombi room remove-floor "Ground floor" --json',
    ),
    "automation acknowledge": (
        "hombi automation acknowledge boathouse-door-left-open",
        "hombi automation acknowledge boathouse-door-left-open --json",
    ),
    "automation schema": (
        "hombi automation schema",
        "hombi automation schema > evening.json",
    ),
    "automation texts": (
        "hombi automation texts cellar-too-dry",
        "hombi automation texts cellar-too-dry --json",
    ),
    "automation undo": (
        "hombi automation undo cellar-too-dry",
        "hombi automation undo cellar-too-dry --to 3",
    ),
    "sequence list": ("hombi sequence list", "hombi sequence list --json"),
    "sequence check": (
        "hombi sequence check evening.toml",
        "hombi sequence check evening.toml --json",
    ),
    "sequence put": ("hombi sequence put evening.toml", "hombi sequence put evening.toml --json"),
    "sequence show": ("hombi sequence show evening", "hombi sequence show evening --json"),
    "sequence remove": ("hombi sequence remove evening", "hombi sequence remove evening --json"),
    "person list": ("hombi person list", "hombi person list --json"),
    "person home": ("hombi person home", "hombi person home miller"),
    "person away": ("hombi person away", "hombi person away miller --json"),
    "person follow": (
        "hombi person follow miller boathouse-tag/battery --linger '15 min'",
        "hombi person follow miller",
    ),
    "scene list": ("hombi scene list", "hombi scene list --json"),
    "scene record": (
        "hombi scene record Evening loft-lamp/level hen-house-lamp/switch",
        "hombi scene record Evening",
    ),
    "scene recall": ("hombi scene recall evening", "hombi scene recall evening --json"),
    "scene remove": ("hombi scene remove evening", "hombi scene remove evening --json"),
    "dashboard list": ("hombi dashboard list", "hombi dashboard list --json"),
    "dashboard show": (
        "hombi dashboard show room-loft",
        "hombi dashboard show evening-round --json > evening.json",
    ),
    "dashboard put": (
        "hombi dashboard put evening-round evening.json",
        "hombi dashboard put room-loft loft.json --json",
    ),
    "dashboard remove": (
        "hombi dashboard remove evening-round",
        "hombi dashboard remove room-loft",
    ),
    "automation list": ("hombi automation list", "hombi automation list --json"),
    "automation replay": (
        "hombi automation replay cellar-too-dry --span week",
        'hombi automation replay too-dry.toml --limit "80 %"',
    ),
    "automation starter": (
        "hombi automation starter",
        "hombi automation starter leak name=Leak sensor=sink/leak tell=everyone > leak.toml",
    ),
    "automation pull": ("hombi automation pull texts", "hombi automation pull texts --json"),
    "automation push": (
        "hombi automation push texts",
        "hombi automation push texts --remove",
    ),
    "automation diff": ("hombi automation diff texts", "hombi automation diff texts --json"),
    "automation rehearse": (
        'hombi automation rehearse cellar-too-dry "81 %" "20 min=87 %"',
        'hombi automation rehearse too-dry.toml "10 min=81 %" --at 22:00 --for "2 h"',
    ),
    "automation run": (
        "hombi automation run cellar-too-dry",
        "hombi automation run cellar-too-dry --edge end --yes",
    ),
    "automation check": (
        "hombi automation check too-dry.toml",
        "hombi automation check too-dry.toml --json",
    ),
    "automation add": (
        "hombi automation add too-dry.toml",
        "hombi automation add door.toml --json",
    ),
    "automation change": (
        "hombi automation change too-dry too-dry.toml",
        'hombi automation change "Too dry" too-dry.toml --leave',
    ),
    "automation show": (
        "hombi automation show too-dry > too-dry.toml",
        'hombi automation show "Too dry" --json',
    ),
    "automation duty": (
        "hombi automation duty too-dry off",
        'hombi automation duty "Too dry" off --leave',
    ),
    "automation remove": (
        "hombi automation remove too-dry",
        'hombi automation remove "Too dry" --leave',
    ),
    "contact list": ("hombi contact list", "hombi contact list --json"),
    "contact add": (
        "hombi contact add mail ada@mill.example",
        "hombi contact add post https://mill.example/told --name ledger",
    ),
    "contact test": ("hombi contact test 1", "hombi contact test 1 --json"),
    "contact remove": ("hombi contact remove 1", "hombi contact remove 1 --yes"),
    "notices": ("hombi notices", "hombi notices --json"),
    "person invite": (
        "hombi person invite adult",
        'hombi person invite guest --room Loft --room "Drying room"',
    ),
    "person invitations": ("hombi person invitations", "hombi person invitations --json"),
    "person revoke": ("hombi person revoke 3", "hombi person revoke 3 --json"),
    "person change": (
        "hombi person change ben owner",
        "hombi person change ben guest --room Loft",
    ),
    "person remove": ("hombi person remove ben", "hombi person remove ben --yes"),
    "person reset": ("hombi person reset ben", "hombi person reset ben --json"),
    "person quiet": ("hombi person quiet ada 22:00-06:30", "hombi person quiet ada never"),
    "mqtt list": ("hombi mqtt list", "hombi mqtt list --json"),
    "mqtt add": (
        "hombi mqtt add plotter --subscribe 'mill/#'",
        "hombi mqtt add board --publish 'mill/#' --subscribe 'mill/#'",
    ),
    "mqtt change": (
        "hombi mqtt change plotter --subscribe 'mill/+/state'",
        "hombi mqtt change board --publish 'mill/board/#'",
    ),
    "mqtt key": ("hombi mqtt key plotter", "hombi mqtt key plotter --json"),
    "mqtt remove": ("hombi mqtt remove plotter", "hombi mqtt remove plotter --yes"),
    "house pull": ("hombi house pull mill", "hombi house pull mill --json"),
    "house diff": ("hombi house diff mill", "hombi house diff mill --json"),
    "house push": ("hombi house push mill", "hombi house push mill --remove"),
    "browser list": ("hombi browser list", "hombi browser list --json"),
    "browser end": ("hombi browser end 3f9a", "hombi browser end 3f9a --json"),
    "token list": ("hombi token list", "hombi token list --json"),
    "token revoke": ("hombi token revoke 2", "hombi token revoke 2 --json"),
    "token first-code": ("hombi token first-code", "hombi token first-code --json"),
    "link list": ("hombi link list", "hombi link list --json"),
    "link messages": (
        "hombi link messages --follow",
        "hombi link messages --topic 'mill/+/state' --each",
    ),
    "link stick": ("hombi link stick", "hombi link stick --json"),
    "link keep": ("hombi link keep", "hombi link keep --json"),
    "link clean": ("hombi link clean", "hombi link clean --yes"),
    "serve": ("hombi serve", "HOMBI_PORT=4700 hombi serve"),
    "demo": ("hombi demo", "hombi demo --speed 60"),
    "lab nodes": ("hombi lab nodes", "hombi lab nodes --json"),
    "lab press": ("hombi lab press cellar-floor", "hombi lab press workshop-air"),
    "lab tap": ("hombi lab tap loft-dial", "hombi lab tap workshop-remote 'button 2'"),
    "lab away": ("hombi lab away loft-climate", "hombi lab away hen-lamp"),
    "lab back": ("hombi lab back loft-climate", "hombi lab back hen-lamp"),
    "lab drain": ("hombi lab drain loft-climate", "hombi lab drain cellar-floor"),
    "lab renew": ("hombi lab renew loft-climate", "hombi lab renew cellar-floor"),
    "lab unplug": ("hombi lab unplug", "HOMBI_PORT=4700 hombi lab unplug"),
    "lab plug": ("hombi lab plug", "HOMBI_PORT=4700 hombi lab plug"),
    "backup": ("hombi backup mill.backup", "hombi backup check mill.backup"),
    "restore": (
        "hombi restore mill.backup --yes",
        "hombi restore --before-update",
    ),
    "salvage": ("hombi salvage", "hombi salvage --yes"),
    "service show": ("hombi service show", "hombi service show --system"),
    "service install": ("hombi service install", "sudo hombi service install --system"),
    "service remove": ("hombi service remove", "sudo hombi service remove --system"),
    "trust": ("hombi trust", "hombi trust --take --hub hombi.local"),
    "doctor": ("hombi doctor", "hombi doctor --json"),
    "check": ("hombi check", "hombi check profiles/plug.toml"),
    "sign-in": (
        "hombi sign-in --hub 192.0.2.7",
        "HOMBI_PASSWORD=… hombi sign-in --hub mill.local --username ada",
    ),
}
