//! The two recorders: what they sample, how they quantise, and the CSV dialect each writes.

use std::fmt::Write;

#[derive(Debug, Clone, Copy)]
pub(crate) struct DynoRow {
    pub(crate) t: f64,
    pub(crate) hub_rpm: f64,
    pub(crate) torque_nm: f64,
}

#[derive(Debug, Clone, Copy)]
pub(crate) struct EcuRow {
    pub(crate) t: f64,
    pub(crate) rpm: f64,
    pub(crate) throttle: f64,
    pub(crate) manifold_kpa: f64,
    pub(crate) lambda: f64,
    pub(crate) spark_deg: f64,
    pub(crate) retard_deg: f64,
    pub(crate) knock_level: f64,
    pub(crate) exhaust_c: f64,
    pub(crate) intake_c: f64,
    pub(crate) duty_percent: f64,
}

/// Comma-separated, units in brackets, one preamble line.
pub(crate) fn dyno_csv(rows: &[DynoRow], title: &str) -> String {
    let mut s = format!("# {title}\nTime (s),Hub speed (rpm),Hub torque (N·m)\n");
    for r in rows {
        let _ = writeln!(s, "{:.3},{:.2},{:.1}", r.t, r.hub_rpm, r.torque_nm);
    }
    s
}

/// Semicolons, decimal comma, units row, the wideband in AFR.
pub(crate) fn ecu_csv(rows: &[EcuRow]) -> String {
    let mut s = String::from(
        "Time;RPM;Throttle;MAP;WB1;Spark advance;Knock retard 1;Knock level;EGT 1;IAT;Injector duty\ns;1/min;%;kPa abs;AFR;°;°;;°C;°C;%\n",
    );
    for r in rows {
        let line = format!(
            "{:.3};{:.0};{:.1};{:.1};{:.2};{:.1};{:.1};{:.2};{:.0};{:.1};{:.1}",
            r.t,
            r.rpm,
            r.throttle,
            r.manifold_kpa,
            r.lambda * 14.7,
            r.spark_deg,
            r.retard_deg,
            r.knock_level,
            r.exhaust_c,
            r.intake_c,
            r.duty_percent
        );
        let _ = writeln!(s, "{}", line.replace('.', ","));
    }
    s
}
