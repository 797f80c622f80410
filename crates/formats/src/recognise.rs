//! Header texts to canonical channels.

use jamjar_core::channel::Channel;
use std::sync::LazyLock;

/// A guess with its weight: 1 for the very name, less for a partial match.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Guess {
    pub(crate) channel: Channel,
    pub(crate) confidence: f64,
}

/// Plain names in use, per kind of channel.
static ALIASES: LazyLock<Vec<(&str, Vec<&str>)>> = LazyLock::new(|| {
    let lines = include_str!("names.txt").lines().filter(|l| !l.starts_with('#'));
    let pairs = lines.filter_map(|l| l.split_once(": "));
    pairs.map(|(kind, names)| (kind, names.split(", ").collect())).collect()
});

/// A header without the unit in brackets behind it.
pub fn bare(header: &str) -> &str {
    header.split(['[', '(']).next().unwrap_or(header).trim()
}

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
    // The canonical name itself, with its unit behind it or not.
    let own = bare(header);
    if let Ok(c) = Channel::new(own)
        && c.kind().is_some_and(|k| !k.numbered || own != k.name)
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
    for (kind, names) in ALIASES.iter() {
        for alias in names {
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
