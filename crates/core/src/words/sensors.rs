//! One channel from several sensors, in words.

use crate::analysis::{Recorder, Sensor};

/// More names than these are counted.
const NAMED: usize = 3;

/// What is said where a channel came from one sensor here and from another there, each with the names of those it
/// stood in; `None` where all came from one, or nobody knows.
///
/// ```
/// use jamjar_core::analysis::{Recorder, Sensor};
/// use jamjar_core::log::Origin;
/// use jamjar_core::units::Unit;
/// use jamjar_core::words::sensors_differ;
/// let sensor = |header: &str, unit| Sensor { by: Recorder::Dyno, origin: Origin { header: header.into(), unit } };
/// let (map, boost) = (sensor("MAP", Unit::KpaAbs), sensor("Boost", Unit::PsiGauge));
/// assert_eq!(sensors_differ(&[("Stock".into(), map.clone()), ("C1".into(), map.clone())]), None);
/// assert_eq!(
///     sensors_differ(&[("Stock".into(), map), ("C1".into(), boost)]).unwrap(),
///     "“MAP” in kPa absolute by the dyno for Stock; “Boost” in psi gauge by the dyno for C1. Another sensor, place or \
///      unit may be what differs."
/// );
/// ```
pub fn sensors_differ(of: &[(String, Sensor)]) -> Option<String> {
    let mut groups: Vec<(&Sensor, Vec<&str>)> = Vec::new();
    for (name, sensor) in of {
        match groups.iter_mut().find(|g| g.0 == sensor) {
            Some((_, names)) if names.contains(&name.as_str()) => {}
            Some((_, names)) => names.push(name),
            None => groups.push((sensor, vec![name])),
        }
    }
    let words = |(sensor, names): &(&Sensor, Vec<&str>)| {
        let unit = match sensor.origin.unit.label() {
            "" => String::new(),
            unit => format!(" in {unit}"),
        };
        let by = match sensor.by {
            Recorder::Dyno => "the dyno",
            Recorder::EngineComputer => "the engine computer",
        };
        let rest = names.len().saturating_sub(NAMED);
        let shown = names[..names.len() - rest].join(", ");
        let more = if rest == 0 { String::new() } else { format!(" and {rest} more") };
        format!("“{}”{unit} by {by} for {shown}{more}", sensor.origin.header)
    };
    (groups.len() > 1).then(|| {
        let all = groups.iter().map(words).collect::<Vec<_>>().join("; ");
        format!("{all}. Another sensor, place or unit may be what differs.")
    })
}
