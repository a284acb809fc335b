//! A customer's own sentence searched for observations: proposals, never taken by themselves.

use serde::Serialize;
use utoipa::ToSchema;

/// Something that a sentence may mean.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct Proposed {
    /// Which observation, by id.
    pub observation: &'static str,
    /// Words of the sentence that say so, as they were typed.
    pub because: String,
}

/// Beginnings of words that together, within one clause, may mean an observation. `|` between beginnings: one of them. A
/// word that ends with `.` is meant as a whole. The last column: words that, in the clause, mean something else.
const MEANS: &[(&str, &[&str], &str)] = &[
    (
        "at_once",
        &["from|right|straight", "start|beginn|first.|away|once."],
        "",
    ),
    ("at_once", &["immediate|instant"], ""),
    ("at_once", &["at.", "once."], ""),
    (
        "after_minutes",
        &["after|within", "minute|hour|min."],
        "good|fine|nozzle|fix|replac",
    ),
    ("after_minutes", &["half.", "hour."], "good|fine"),
    (
        "half_print",
        &[
            "half|halfway|midway|middle|part.",
            "print|through|way.|job.",
        ],
        "",
    ),
    ("half_print", &["evening", "morning"], ""),
    (
        "half_print",
        &["good|fine|ok.|okay|well.|great", "then.|later|until|but."],
        "nozzle",
    ),
    (
        "half_print",
        &["starts|begins|start.", "good|fine|ok.|okay|well."],
        "",
    ),
    (
        "at_random",
        &["random|sometimes|sporadic|irregular|intermittent|occasional"],
        "",
    ),
    ("at_random", &["now.", "then.|again."], ""),
    (
        "first_layer_only",
        &["first.", "layer"],
        "good|fine|ok.|okay|perfect|great|nice",
    ),
    (
        "one_filament",
        &["only|just|this|one.", "spool|filament|colour|color|roll."],
        "every|all.|any.",
    ),
    (
        "since_swap",
        &["since|after", "swap|replac|chang|fitt|install|upgrad|new."],
        "while|day.|week|back.|again.",
    ),
    (
        "since_swap",
        &[
            "i.|i've|i’ve|we.|we've|we’ve|he.|she.|they.|you.|myself|ourselves",
            "swapp|replac|chang|fitted|install|upgrad",
        ],
        "back.|again.|want|setting|filament|spool|colour|color",
    ),
    (
        "new_nozzle_for_a_while",
        &[
            "new|chang|replac|swap",
            "nozzle",
            "while|day|week|again|back.|help|hour|good|fine|better",
        ],
        "",
    ),
    ("thin", &["under.", "extru"], ""),
    (
        "thin",
        &["thin|underextru|under-extru|gappy|starv|spars|sponge|spongy"],
        "",
    ),
    (
        "thin",
        &[
            "gap|gaps|hole|holes|missing",
            "line|wall|layer|infill|print|surface",
        ],
        "bed.",
    ),
    (
        "thin",
        &[
            "too.|not.",
            "little|enough",
            "plastic|filament|material|comes|come.",
        ],
        "",
    ),
    (
        "nothing_comes",
        &["nothing|no.", "comes|come.|extrud|flow|plastic|filament"],
        "",
    ),
    ("nothing_comes", &["air.", "print"], ""),
    ("nothing_comes", &["clog|block|jam"], "heater|fan.|feed"),
    ("clicks", &["click|clack|knock|tick|skip|skips"], ""),
    (
        "grinding_dust",
        &["grind|ground.|dust|chew|shav|strip|stripp"],
        "",
    ),
    (
        "fat_lines",
        &[
            "fat|thick|rough|bulg|overextru|over-extru",
            "line|wall|surface|layer|print|extru",
        ],
        "first.",
    ),
    (
        "strings",
        &["string|hair|cobweb|ooz|web.|webs.|whisker"],
        "",
    ),
    (
        "hiss",
        &["hiss|steam|sizzl|crackl|pop.|pops.|popping|fuzz"],
        "",
    ),
    (
        "weak_layers",
        &["layer", "break|split|apart|separat|delamin|crack|weak"],
        "first.",
    ),
    ("weak_layers", &["snap|brittle|delamin"], "filament"),
    (
        "ridges",
        &[
            "ridge|scrap|plough|plow|drag",
            "first.|layer|nozzle|bed.|plate|surface",
        ],
        "part|off.",
    ),
    (
        "loose_strands",
        &[
            "won't|doesn't|not.|don't|won’t|doesn’t|don’t|never|hardly|nothing",
            "stick|adher|hold.",
        ],
        "",
    ),
    ("loose_strands", &["loose|round", "strand|line|bead"], ""),
    (
        "plate_uneven",
        &[
            "one.|left|right|corner|side|front|back.|middle|uneven",
            "side|corner|plate|bed.|layer|differ|low|high",
        ],
        "back.again",
    ),
    ("rattles", &["rattl|wobbl|loose"], "wire|strand|plug|sensor"),
    (
        "ringing",
        &[
            "ring|ringing|ghost|echo|ripple|wave|shift",
            "corner|layer|wall|surface|edge|side|print|",
        ],
        "hiss",
    ),
    (
        "swings",
        &[
            "temperatur|heat|nozzle|reading|degree",
            "swing|fluctuat|oscillat|up.|wander|unstable|hunt",
        ],
        "",
    ),
    (
        "jumps",
        &[
            "temperatur|reading|degree|display|nozzle",
            "jump|drop|spike|fall|fell|leap",
        ],
        "part|fan.",
    ),
    (
        "reads_end",
        &[
            "read|show|display|say",
            "0.|zero|minus|-14|-15|error|max|min",
        ],
        "",
    ),
    (
        "reads_end",
        &["maxtemp|mintemp|thermistor|err.|error|alarm"],
        "",
    ),
    (
        "slow_heat",
        &[
            "slow|forever|long|never|fail|won't|doesn't|not.|won’t|doesn’t",
            "heat|warm|temperature|reach",
        ],
        "",
    ),
    ("too_hot_or_cold", &["too.", "hot|cold|cool"], ""),
    (
        "refuses_target",
        &[
            "refus|reject|won't|cannot|can't|won’t|can’t",
            "set|target|higher|above|degree",
        ],
        "",
    ),
    (
        "one_factor",
        &[
            "half.|third|double|twice|factor",
            "amount|length|size|feed|extru|plastic|much|many",
        ],
        "",
    ),
    ("motor_hot", &["motor", "hot|hum|warm|burn"], ""),
    ("burnt_smell", &["burn|burnt|scorch|smell|stink|smok"], ""),
    (
        "debris_in_fan",
        &["debris|hair|string|bit|plastic|dust|something", "fan."],
        "",
    ),
    (
        "drops_above_nozzle",
        &[
            "leak|drip|seep|ooz|drop|brown",
            "above|thread|block|side|nozzle|heater",
        ],
        "degree|temperatur",
    ),
    (
        "plastic_all_over",
        &[
            "blob|lump|wrapped|encas|covered|buried|all.",
            "hot|head|nozzle|hotend|toolhead|over.|plastic",
        ],
        "string|first.",
    ),
    (
        "part_dragged",
        &[
            "came|come|comes|fell|falls|pop|broke|knock|lost|loses|lift|let",
            "off.|loose|plate|bed.|go.",
        ],
        "nozzle|tube",
    ),
    ("part_dragged", &["spaghetti|warp"], ""),
    (
        "wont_load",
        &[
            "won't|not.|can't|doesn't|cannot|won’t|can’t|doesn’t|stop|stuck",
            "load|feed|unload|cut",
        ],
        "",
    ),
    (
        "wont_load",
        &["filament", "stop|stuck", "centim|few.|cm."],
        "",
    ),
    ("overshoots", &["overshoot|overshot"], ""),
];

/// Words before another one that turn its meaning around.
const NOT: &[&str] = &[
    "no",
    "not",
    "without",
    "never",
    "isn't",
    "doesn't",
    "don't",
    "isn’t",
    "doesn’t",
    "don’t",
    "neither",
    "nor",
];

/// What ends a clause.
const ENDS: [char; 5] = ['.', ';', '!', '?', '\n'];

fn fits(word: &str, pattern: &str) -> bool {
    let one = |p: &str| match p.strip_suffix('.') {
        Some(whole) => word == whole,
        None => !p.is_empty() && word.starts_with(p),
    };
    pattern.split('|').any(one)
}

/// Places in the clause that fit each pattern, none where one doesn't fit.
fn found(words: &[String], patterns: &[&str]) -> Option<Vec<usize>> {
    let mut places = Vec::new();
    for pattern in patterns {
        let at = (0..words.len()).find(|i| !places.contains(i) && fits(&words[*i], pattern))?;
        places.push(at);
    }
    places.sort_unstable();
    Some(places)
}

/// What a sentence may mean, in the order of the words that say so. A clause that says "no" of it proposes nothing.
#[must_use]
pub fn proposals(told: &str) -> Vec<Proposed> {
    let mut all: Vec<Proposed> = Vec::new();
    for clause in told.split(|c| ENDS.contains(&c)) {
        let typed: Vec<&str> = clause
            .split_whitespace()
            .map(|w| w.trim_matches(|c: char| !c.is_alphanumeric() && c != '-'))
            .filter(|w| !w.is_empty())
            .collect();
        let words: Vec<String> = typed.iter().map(|w| w.to_lowercase()).collect();
        for (observation, patterns, unless) in MEANS {
            let elsewhere = || !unless.is_empty() && words.iter().any(|w| fits(w, unless));
            let Some(places) = found(&words, patterns) else {
                continue;
            };
            let denied = places.first().is_some_and(|first| {
                // Words of the meaning itself, such as "not enough", deny nothing.
                (first.saturating_sub(2)..*first).any(|i| NOT.contains(&words[i].as_str()))
            });
            if denied || elsewhere() || all.iter().any(|p| p.observation == *observation) {
                continue;
            }
            let said: Vec<&str> = places.iter().map(|i| typed[*i]).collect();
            all.push(Proposed {
                observation,
                because: said.join(" … "),
            });
        }
    }
    all
}
