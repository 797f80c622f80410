//! Header texts to canonical channels.

use jamjar_core::channel::Channel;

/// A guess with its weight: 1 for the very name, less for a partial match.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Guess {
    pub(crate) channel: Channel,
    pub(crate) confidence: f64,
}

/// Plain names in use, per kind, in English, German, French, Spanish and Italian; order within a kind does not
/// matter.
const ALIASES: &[(&str, &[&str])] = &[
    (
        "time",
        &[
            "zeit",
            "temps",
            "tiempo",
            "tempo",
            "heure",
            "uhrzeit",
            "hora",
            "ora",
            "time",
            "t",
            "timestamp",
            "time stamp",
            "elapsed",
            "elapsed time",
            "log time",
            "clock",
            "clock time",
            "time of day",
        ],
    ),
    (
        "lambda_target",
        &[
            "lambda soll",
            "soll lambda",
            "consigne lambda",
            "lambda consigne",
            "lambda objetivo",
            "lambda obiettivo",
            "lambda target",
            "target lambda",
            "lambda setpoint",
            "lambda desired",
            "desired lambda",
            "commanded lambda",
            "afr target",
            "target afr",
            "lambda wanted",
        ],
    ),
    (
        "boost_target",
        &[
            "ladedruck soll",
            "soll ladedruck",
            "consigne pression",
            "presion objetivo",
            "presión objetivo",
            "pressione obiettivo",
            "pressione target",
            "boost target",
            "target boost",
            "boost setpoint",
            "desired boost",
            "map target",
            "target map",
            "boost desired",
            "target manifold pressure",
        ],
    ),
    (
        "engine_speed",
        &[
            "drehzahl",
            "motordrehzahl",
            "motor drehzahl",
            "regime",
            "régime",
            "regime moteur",
            "régime moteur",
            "tours moteur",
            "regimen",
            "régimen",
            "regimen motor",
            "régimen motor",
            "revoluciones",
            "rpm motor",
            "giri",
            "giri motore",
            "regime motore",
            "engine speed",
            "rpm",
            "engine rpm",
            "engine revs",
            "revs",
            "eng speed",
            "engine",
            "n engine",
            "crank speed",
            "crankshaft speed",
            "engine rotation speed",
            "n",
        ],
    ),
    (
        "roller_speed",
        &[
            "rollendrehzahl",
            "rollen drehzahl",
            "wellendrehzahl",
            "nabendrehzahl",
            "regime rouleau",
            "régime rouleau",
            "vitesse rouleau",
            "régimen rodillo",
            "velocidad rodillo",
            "giri rullo",
            "velocità rullo",
            "roller speed",
            "roller rpm",
            "hub speed",
            "hub rpm",
            "shaft speed",
            "shaft rpm",
            "drum speed",
            "drum rpm",
            "dyno speed",
            "dyno rpm",
            "dyno shaft speed",
            "dyno shaft rpm",
            "pto speed",
            "pto rpm",
            "brake speed",
            "brake rpm",
            "absorber speed",
            "n shaft",
            "n hub",
            "n roller",
            "n drum",
            "axle speed",
            "axle rpm",
        ],
    ),
    ("turbo_speed", &["turbo speed", "turbo rpm", "turbocharger speed", "turbine speed", "compressor speed"]),
    (
        "blower_speed",
        &["blower speed", "blower rpm", "supercharger speed", "supercharger rpm", "charger speed"],
    ),
    (
        "road_speed",
        &[
            "geschwindigkeit",
            "fahrgeschwindigkeit",
            "vitesse",
            "vitesse vehicule",
            "vitesse véhicule",
            "velocidad",
            "velocidad vehiculo",
            "velocidad vehículo",
            "velocita",
            "velocità",
            "velocità veicolo",
            "road speed",
            "vehicle speed",
            "wheel speed",
            "ground speed",
            "car speed",
            "v road",
            "speed",
        ],
    ),
    (
        "hub_torque",
        &[
            "nabenmoment",
            "couple moyeu",
            "par cubo",
            "coppia mozzo",
            "hub torque",
            "torque hub",
            "axle torque",
            "torque at hub",
            "torque at hubs",
            "m hub",
        ],
    ),
    (
        "brake_torque",
        &[
            "drehmoment",
            "moment",
            "bremsmoment",
            "couple",
            "couple moteur",
            "par",
            "par motor",
            "coppia",
            "coppia motore",
            "brake torque",
            "torque",
            "dyno torque",
            "shaft torque",
            "pto torque",
            "roller torque",
            "torque shaft",
            "measured torque",
            "load cell torque",
            "absorber torque",
            "m brake",
            "torque brake",
        ],
    ),
    (
        "power",
        &[
            "power",
            "hub power",
            "wheel power",
            "roller power",
            "engine power",
            "brake power",
            "dyno power",
            "measured power",
            "leistung",
            "radleistung",
            "motorleistung",
            "puissance",
            "potencia",
            "potenza",
        ],
    ),
    (
        "throttle",
        &[
            "drosselklappe",
            "drosselklappenstellung",
            "papillon",
            "position papillon",
            "mariposa",
            "posicion mariposa",
            "posición mariposa",
            "farfalla",
            "posizione farfalla",
            "apertura farfalla",
            "throttle",
            "throttle position",
            "tps",
            "throttle angle",
            "throttle plate",
            "plate",
            "throttle opening",
            "tp",
        ],
    ),
    (
        "pedal",
        &[
            "fahrpedal",
            "gaspedal",
            "pedale",
            "pédale",
            "pédale accélérateur",
            "acelerador",
            "pedal acelerador",
            "acceleratore",
            "pedale acceleratore",
            "pedal",
            "pedal position",
            "accelerator",
            "accelerator pedal",
            "accelerator position",
            "accelerator pedal position",
            "app",
        ],
    ),
    (
        "manifold_pressure",
        &[
            "ladedruck",
            "saugrohrdruck",
            "pression admission",
            "pression collecteur",
            "pression de suralimentation",
            "presion colector",
            "presión colector",
            "presion admision",
            "presión admisión",
            "presion turbo",
            "presión turbo",
            "pressione aspirazione",
            "pressione collettore",
            "pressione turbo",
            "manifold pressure",
            "map",
            "manifold absolute pressure",
            "manifold",
            "boost",
            "boost pressure",
            "intake pressure",
            "intake manifold pressure",
            "charge pressure",
            "inlet pressure",
        ],
    ),
    (
        "ambient_pressure",
        &[
            "luftdruck",
            "umgebungsdruck",
            "pression atmospherique",
            "pression atmosphérique",
            "presion atmosferica",
            "presión atmosférica",
            "pressione atmosferica",
            "ambient pressure",
            "baro",
            "barometer",
            "barometric pressure",
            "atmospheric pressure",
            "air pressure",
            "cell pressure",
            "station pressure",
        ],
    ),
    (
        "wastegate_duty",
        &[
            "wastegate duty",
            "wastegate",
            "wg duty",
            "wastegate dc",
            "boost solenoid duty",
            "boost duty",
            "wastegate position",
        ],
    ),
    (
        "lambda",
        &[
            "lambda",
            "λ",
            "wb",
            "wideband",
            "afr",
            "air fuel ratio",
            "lam",
            "lambda sensor",
            "wideband lambda",
            "measured lambda",
            "lambda measured",
            "afr gasoline",
            "gasoline afr",
            "lambda bank",
            "lambda cyl",
            "wideband afr",
            "o2",
        ],
    ),
    (
        "spark_advance",
        &[
            "zündwinkel",
            "zuendwinkel",
            "zündzeitpunkt",
            "avance",
            "avance allumage",
            "avance encendido",
            "anticipo",
            "anticipo accensione",
            "spark advance",
            "ignition advance",
            "ignition timing",
            "ignition angle",
            "timing",
            "spark",
            "spark angle",
            "spark timing",
            "advance",
            "ignition",
            "timing advance",
        ],
    ),
    (
        "knock_retard",
        &[
            "knock retard",
            "knock correction",
            "retard",
            "knock retard cyl",
            "retard cyl",
            "knock retard cylinder",
            "ignition retard",
            "spark retard",
        ],
    ),
    ("knock_level", &["knock level", "knock", "knock intensity", "knock signal", "knock sensor"]),
    (
        "ambient_temp",
        &[
            "ambient temp",
            "ambient temperature",
            "air temp ambient",
            "cell temperature",
            "cell temp",
            "outside temperature",
            "outside air temp",
            "ambient",
        ],
    ),
    (
        "intake_temp",
        &[
            "ansauglufttemperatur",
            "ladelufttemperatur",
            "temperature admission",
            "température admission",
            "temperature air",
            "température air",
            "temperatura admision",
            "temperatura admisión",
            "temperatura aire",
            "temperatura aspirazione",
            "temperatura aria",
            "intake temp",
            "intake temperature",
            "iat",
            "intake air temp",
            "intake air temperature",
            "charge temp",
            "charge temperature",
            "charge air temp",
            "charge air temperature",
            "manifold temp",
            "manifold temperature",
            "inlet air temp",
            "air temp",
            "inlet temperature",
        ],
    ),
    (
        "coolant_temp",
        &[
            "kühlmitteltemperatur",
            "kuehlmitteltemperatur",
            "wassertemperatur",
            "temperature eau",
            "température eau",
            "temperature liquide",
            "température liquide",
            "temperatura agua",
            "temperatura refrigerante",
            "temperatura acqua",
            "coolant temp",
            "coolant temperature",
            "ect",
            "clt",
            "water temp",
            "water temperature",
            "engine temp",
            "engine temperature",
            "engine coolant temp",
            "coolant",
        ],
    ),
    (
        "oil_temp",
        &[
            "öltemperatur",
            "oeltemperatur",
            "temperature huile",
            "température huile",
            "temperatura aceite",
            "temperatura olio",
            "oil temp",
            "oil temperature",
            "engine oil temp",
            "engine oil temperature",
        ],
    ),
    (
        "exhaust_temp",
        &[
            "abgastemperatur",
            "temperature echappement",
            "température échappement",
            "temperatura escape",
            "temperatura scarico",
            "exhaust temp",
            "exhaust temperature",
            "egt",
            "exhaust gas temp",
            "exhaust gas temperature",
            "exhaust temp cyl",
            "egt cyl",
            "exhaust",
        ],
    ),
    (
        "oil_pressure",
        &[
            "öldruck",
            "oeldruck",
            "pression huile",
            "presion aceite",
            "presión aceite",
            "pressione olio",
            "oil pressure",
            "oil press",
            "engine oil pressure",
        ],
    ),
    (
        "fuel_pressure",
        &[
            "kraftstoffdruck",
            "pression carburant",
            "pression essence",
            "presion combustible",
            "presión combustible",
            "pressione carburante",
            "pressione benzina",
            "fuel pressure",
            "fuel press",
        ],
    ),
    (
        "rail_pressure",
        &[
            "raildruck",
            "pression rail",
            "presion rail",
            "presión rail",
            "pressione rail",
            "rail pressure",
            "fuel rail pressure",
            "common rail pressure",
            "rail",
        ],
    ),
    (
        "back_pressure",
        &[
            "back pressure",
            "backpressure",
            "exhaust back pressure",
            "exhaust pressure",
            "exhaust manifold pressure",
            "turbine inlet pressure",
        ],
    ),
    (
        "injector_pulse_width",
        &[
            "einspritzzeit",
            "temps injection",
            "tiempo inyeccion",
            "tiempo inyección",
            "tempo iniezione",
            "injector pulse width",
            "pulse width",
            "pulsewidth",
            "inj pulse width",
            "injector pw",
            "inj pw",
            "pw",
            "ipw",
            "injection time",
            "injector time",
        ],
    ),
    (
        "injector_duty",
        &[
            "injector duty",
            "injector duty cycle",
            "inj duty",
            "idc",
            "injector dc",
            "injection duty",
            "inj duty cycle",
        ],
    ),
    ("fuel_flow", &["fuel flow", "fuel mass flow", "fuel rate", "fuel consumption"]),
    (
        "air_flow",
        &[
            "luftmasse",
            "luftmassenstrom",
            "debit air",
            "débit air",
            "caudal aire",
            "portata aria",
            "air flow",
            "airflow",
            "maf",
            "mass air flow",
            "air mass flow",
            "intake air flow",
            "mass airflow",
        ],
    ),
    ("ethanol_content", &["ethanol content", "ethanol", "ethanol percent", "flex fuel", "flex", "e content"]),
    ("injection_start", &["injection start", "start of injection", "soi", "main injection start"]),
    (
        "injection_duration",
        &["injection duration", "duration of injection", "main injection duration", "injector duration"],
    ),
    ("vane_position", &["vane position", "vane", "vgt position", "vnt position", "turbo vane position"]),
    ("gear", &["gang", "rapport", "marcha", "marcia", "gear", "gear position", "current gear"]),
    ("fuel_cut", &["fuel cut", "fuel cut active", "injection cut"]),
    ("spark_cut", &["spark cut", "spark cut active", "ignition cut"]),
];

/// Lower case, bracketed parts dropped, separators to single spaces, trailing sensor number split off.
fn normalise(header: &str) -> (String, Option<u32>) {
    let mut depth = 0;
    let mut s = String::new();
    for c in header.chars() {
        match c {
            '[' | '(' | '{' => depth += 1,
            ']' | ')' | '}' => depth = (depth - 1).max(0),
            _ if depth > 0 => {}
            c if c.is_alphanumeric() => s.extend(c.to_lowercase()),
            _ => s.push(' '),
        }
    }
    let mut out = String::new();
    let mut last = ' ';
    for c in s.chars() {
        if (c.is_ascii_digit() && last.is_alphabetic())
            || (c.is_alphabetic() && last.is_ascii_digit() && last != ' ')
        {
            out.push(' ');
        }
        out.push(c);
        last = c;
    }
    let mut words: Vec<&str> = out.split_whitespace().collect();
    let number = words
        .iter()
        .rposition(|w| w.bytes().all(|b| b.is_ascii_digit()))
        .and_then(|i| words.remove(i).parse().ok());
    let words: Vec<&str> = words
        .into_iter()
        .filter(|w| {
            !matches!(*w, "cyl" | "cylinder" | "bank" | "sensor" | "no" | "actual" | "value" | "measured")
        })
        .collect();
    (words.join(" "), number)
}

/// Unit words people append to a header: `time_ms`, `rpm_engine` is not one of them.
const TRAILING_UNITS: &[&str] = &[
    "ms", "s", "kpa", "bar", "psi", "degc", "degf", "c", "f", "deg", "nm", "lbft", "kmh", "mph", "rpm",
    "pct", "gps", "mpa", "us", "afr",
];

/// The channel a header names, with the trailing unit word when one was split off.
pub(crate) fn recognise(header: &str) -> Option<(Guess, Option<String>)> {
    if let Ok(c) = Channel::new(header.trim())
        && c.kind().is_some_and(|k| !k.numbered || header.trim() != k.name)
    {
        return Some((Guess { channel: c, confidence: 1.0 }, None));
    }
    let (name, number) = normalise(header);
    if let Some(g) = look_up(&name, number, 1.0) {
        return Some((g, None));
    }
    let (stem, last) = name.rsplit_once(' ')?;
    if TRAILING_UNITS.contains(&last)
        && let Some(g) = look_up(stem, number, 0.95)
    {
        return Some((g, Some(last.to_owned())));
    }
    partial(&name, number).map(|g| (g, None))
}

fn named(kind: &str, number: Option<u32>) -> Option<Channel> {
    let numbered =
        Channel::new(format!("{kind}_1")).ok().is_some_and(|c| c.kind().is_some_and(|k| k.numbered));
    if numbered {
        Channel::new(format!("{kind}_{}", number.unwrap_or(1).max(1))).ok()
    } else {
        Channel::new(kind).ok()
    }
}

fn look_up(name: &str, number: Option<u32>, confidence: f64) -> Option<Guess> {
    let (kind, _) = ALIASES.iter().find(|(_, names)| names.contains(&name))?;
    Some(Guess { channel: named(kind, number)?, confidence })
}

/// Longest alias of at least two words, or six letters, contained word by word in the header.
fn partial(name: &str, number: Option<u32>) -> Option<Guess> {
    let words: Vec<&str> = name.split(' ').collect();
    let mut best: Option<(usize, &str)> = None;
    for (kind, names) in ALIASES {
        for alias in *names {
            let parts: Vec<&str> = alias.split(' ').collect();
            let long = parts.len() >= 2 || alias.len() >= 6;
            if long
                && words.windows(parts.len()).any(|w| w == parts)
                && best.is_none_or(|b| alias.len() > b.0)
            {
                best = Some((alias.len(), kind));
            }
        }
    }
    let (_, kind) = best?;
    Some(Guess { channel: named(kind, number)?, confidence: 0.6 })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_seen_in_the_field() {
        for (header, want) in [
            ("Time (s)", "time"),
            ("time_ms", "time"),
            ("Engine speed [rpm]", "engine_speed"),
            ("RPM", "engine_speed"),
            ("Hub speed", "roller_speed"),
            ("Roller rpm", "roller_speed"),
            ("Shaft speed (rpm)", "roller_speed"),
            ("Hub Torque", "hub_torque"),
            ("Torque [N·m]", "brake_torque"),
            ("TPS", "throttle"),
            ("MAP (kPa)", "manifold_pressure"),
            ("Boost psi", "manifold_pressure"),
            ("WB1", "lambda_1"),
            ("Lambda 2", "lambda_2"),
            ("EGT cyl 3 (°C)", "exhaust_temp_3"),
            ("Knock retard 2", "knock_retard_2"),
            ("lambda_1", "lambda_1"),
            ("lambda", "lambda_1"),
            ("exhaust_temp_1", "exhaust_temp_1"),
            ("Lambda target", "lambda_target"),
            ("AFR", "lambda_1"),
            ("IAT", "intake_temp"),
            ("Vehicle speed km/h", "road_speed"),
            ("Fuel rail pressure", "rail_pressure"),
            ("Ignition timing", "spark_advance"),
            ("Engine oil temperature", "oil_temp"),
            ("Measured engine speed", "engine_speed"),
            ("Motordrehzahl [1/min]", "engine_speed"),
            ("Régime moteur (tr/min)", "engine_speed"),
            ("Rollendrehzahl", "roller_speed"),
            ("Drehmoment [Nm]", "brake_torque"),
            ("Couple", "brake_torque"),
            ("Presión colector", "manifold_pressure"),
            ("Ladedruck", "manifold_pressure"),
            ("Temperatura acqua", "coolant_temp"),
            ("Giri motore", "engine_speed"),
            ("Zündwinkel", "spark_advance"),
            ("Abgastemperatur 2", "exhaust_temp_2"),
            ("Leistung [kW]", "power"),
            ("Wheel power (hp)", "power"),
        ] {
            assert_eq!(recognise(header).map(|g| g.0.channel.to_string()).as_deref(), Some(want), "{header}");
        }
        for header in ["Comment", "Lap", "Steering angle", ""] {
            assert!(recognise(header).is_none(), "{header}");
        }
    }
}
