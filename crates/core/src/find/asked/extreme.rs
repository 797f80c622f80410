//! The extreme of a channel over a pull, which a query may ask for: the hottest exhaust, the leanest mixture.

use crate::analysis::ChannelSummary;

/// An end of a kind of channel over a pull, over all its sensors.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Extreme {
    /// Most knock retard, °.
    Knock,
    /// Hottest exhaust, °C.
    Exhaust,
    /// Leanest mixture, λ.
    Leanest,
    /// Richest mixture, λ.
    Richest,
    /// Highest injector duty, %.
    Duty,
    /// Highest manifold pressure, kPa absolute.
    Manifold,
    /// Hottest oil, °C.
    Oil,
    /// Hottest coolant, °C.
    Coolant,
    /// Hottest charge, °C.
    Intake,
    /// Lowest oil pressure, kPa.
    OilPressure,
    /// Lowest fuel pressure, kPa.
    FuelPressure,
    /// Highest rail pressure, MPa.
    Rail,
    /// Highest back pressure, kPa.
    Back,
    /// Highest turbo speed, rpm.
    Turbo,
}

impl Extreme {
    /// All of them, in the order they are kept.
    pub const ALL: [Self; 14] = [
        Self::Knock,
        Self::Exhaust,
        Self::Leanest,
        Self::Richest,
        Self::Duty,
        Self::Manifold,
        Self::Oil,
        Self::Coolant,
        Self::Intake,
        Self::OilPressure,
        Self::FuelPressure,
        Self::Rail,
        Self::Back,
        Self::Turbo,
    ];

    /// The kind of channel, and whether its highest value is meant.
    fn meant(self) -> (&'static str, bool) {
        match self {
            Self::Knock => ("knock_retard", true),
            Self::Exhaust => ("exhaust_temp", true),
            Self::Leanest => ("lambda", true),
            Self::Richest => ("lambda", false),
            Self::Duty => ("injector_duty", true),
            Self::Manifold => ("manifold_pressure", true),
            Self::Oil => ("oil_temp", true),
            Self::Coolant => ("coolant_temp", true),
            Self::Intake => ("intake_temp", true),
            Self::OilPressure => ("oil_pressure", false),
            Self::FuelPressure => ("fuel_pressure", false),
            Self::Rail => ("rail_pressure", true),
            Self::Back => ("back_pressure", true),
            Self::Turbo => ("turbo_speed", true),
        }
    }

    /// Of a pull, from what its channels did over it; `None` when none of that kind was logged.
    pub fn of(self, channels: &[ChannelSummary]) -> Option<f64> {
        let (kind, highest) = self.meant();
        let own = channels.iter().filter(|c| c.channel.kind().is_some_and(|k| k.name == kind));
        let ends = own.map(|c| if highest { c.max } else { c.min });
        if highest { ends.reduce(f64::max) } else { ends.reduce(f64::min) }
    }
}

/// An extreme is found by its place: the list stands in the order of the kinds.
const _: () = {
    let mut i = 0;
    while i < Extreme::ALL.len() {
        assert!(Extreme::ALL[i] as usize == i);
        i += 1;
    }
};

/// All extremes of a pull; NaN where nothing was logged.
pub fn extremes(channels: &[ChannelSummary]) -> [f32; Extreme::ALL.len()] {
    Extreme::ALL.map(|e| e.of(channels).map_or(f32::NAN, |v| v as f32))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_worst_sensor_of_a_kind_counts_and_what_was_not_logged_is_no_number() {
        let of = |name: &str, min: f64, max: f64| ChannelSummary {
            channel: name.parse().unwrap(),
            mean: 0.5 * (min + max),
            min,
            max,
            start: min,
        };
        let all = [of("lambda_1", 0.79, 0.88), of("lambda_2", 0.81, 0.93), of("lambda_target", 0.5, 1.5)];
        assert_eq!((Extreme::Leanest.of(&all), Extreme::Richest.of(&all)), (Some(0.93), Some(0.79)));
        assert!(Extreme::Knock.of(&all).is_none() && extremes(&all)[0].is_nan());
    }
}
