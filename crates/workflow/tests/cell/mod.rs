//! A second, simpler cell than the simulator's: closed-form pulls whose answer is known on paper.
#![allow(dead_code, clippy::unwrap_used, clippy::expect_used)]

use serde_json::{Value, json};
use std::f64::consts::PI;
use std::fmt::Write;
use std::fs;
use std::path::Path;
use tempfile::TempDir;

/// A folder removed when dropped.
pub(crate) struct Folder(TempDir);

impl Folder {
    pub(crate) fn new(name: &str) -> Self {
        Self(TempDir::with_prefix(name).unwrap())
    }

    pub(crate) fn path(&self) -> &Path {
        self.0.path()
    }

    pub(crate) fn write(&self, name: &str, text: impl AsRef<[u8]>) -> String {
        fs::write(self.path().join(name), text).unwrap();
        name.to_owned()
    }

    pub(crate) fn run(&self, job: &Value) -> Result<Value, String> {
        self.write("job.json", job.to_string());
        jamjar_workflow::job::run(&self.path().join("job.json")).map(|r| r.result).map_err(|e| e.to_string())
    }
}

/// A pull in closed form: steady, then a ramp from `from` to `to` rpm at `rate`, then `end`.
#[derive(Clone, Copy)]
pub(crate) struct Pull {
    pub(crate) from: f64,
    pub(crate) to: f64,
    pub(crate) rate: f64,
    /// Engine-referred torque at full load, N·m, as `t0·(1 − ((rpm − 4500)/6000)²)`.
    pub(crate) torque: f64,
    pub(crate) end: End,
    pub(crate) seed: u64,
}

#[derive(Clone, Copy, PartialEq)]
pub(crate) enum End {
    Lift,
    Limiter,
    Stop,
}

pub(crate) const PULL: Pull =
    Pull { from: 1800.0, to: 6600.0, rate: 600.0, torque: 200.0, end: End::Lift, seed: 1 };
const TIP: f64 = 2.0;

impl Pull {
    fn top(&self) -> f64 {
        TIP + (self.to - self.from) / self.rate
    }

    pub(crate) fn seconds(&self) -> f64 {
        self.top() + if self.end == End::Stop { 0.0 } else { 2.0 }
    }

    pub(crate) fn rpm(&self, t: f64) -> f64 {
        if t < TIP {
            self.from
        } else if t < self.top() {
            self.from + self.rate * (t - TIP)
        } else if self.end == End::Limiter && t < self.top() + 1.2 {
            self.to + 25.0 * (40.0 * t).sin()
        } else {
            (self.to - 1400.0 * (t - self.top() - if self.end == End::Limiter { 1.2 } else { 0.0 }))
                .max(1000.0)
        }
    }

    pub(crate) fn throttle(&self, t: f64) -> f64 {
        let off = self.top() + if self.end == End::Limiter { 1.2 } else { 0.0 };
        if (TIP..off).contains(&t) { 100.0 } else { 15.0 }
    }

    pub(crate) fn torque_at(&self, rpm: f64) -> f64 {
        self.torque * (1.0 - ((rpm - 4500.0) / 6000.0).powi(2))
    }

    pub(crate) fn power_at(&self, rpm: f64) -> f64 {
        self.torque_at(rpm) * rpm * PI / 30_000.0
    }

    /// Deterministic noise in −1…1.
    fn noise(&self, i: usize) -> f64 {
        let x = (i as u64 + 1)
            .wrapping_mul(0x9E37_79B9_7F4A_7C15)
            .wrapping_add(self.seed.wrapping_mul(0xBF58_476D_1CE4_E5B9));
        let x = (x ^ (x >> 29)).wrapping_mul(0x94D0_49BB_1331_11EB);
        (x >> 40) as f64 / f64::from(1u32 << 23) - 1.0
    }

    /// Hub or brake recording: shaft speed and torque at the shaft.
    pub(crate) fn shaft_csv(&self, ratio: f64, torque_header: &str) -> String {
        let mut s = format!("Time (s),Shaft speed (rpm),{torque_header}\n");
        for i in 0..(self.seconds() * 100.0) as usize {
            let t = i as f64 * 0.01;
            let rpm = self.rpm(t);
            let torque = if self.throttle(t) > 90.0 { self.torque_at(rpm) } else { 5.0 };
            let _ = writeln!(
                s,
                "{t:.3},{:.3},{:.3}",
                rpm / ratio + 0.2 * self.noise(i),
                torque * ratio + 3.0 * self.noise(i + 7919)
            );
        }
        s
    }

    /// Drum recording: speed only; the ramp follows from power and inertia.
    pub(crate) fn drum_csv(&self, ratio: f64, inertia: f64) -> String {
        let mut s = String::from("Time (s),Drum speed (rpm)\n");
        let (mut t, mut rpm, mut i) = (0.0, self.from, 0usize);
        let (dt, mut lifted) = (0.001, None);
        while lifted.is_none_or(|l| t < l + 2.0) {
            if i.is_multiple_of(10) {
                let _ = writeln!(s, "{t:.3},{:.4}", rpm / ratio);
            }
            let alpha_drum = self.torque_at(rpm) * ratio / inertia;
            rpm += match (t < TIP, lifted) {
                (true, _) => 0.0,
                (_, Some(_)) => -900.0 * dt,
                _ => alpha_drum * 30.0 / PI * ratio * dt,
            };
            if rpm >= self.to && lifted.is_none() {
                lifted = Some(t);
            }
            t += dt;
            i += 1;
        }
        s
    }

    /// Engine-computer recording on its own clock, `extra` adding columns.
    pub(crate) fn ecu_csv(
        &self,
        lag: f64,
        hz: f64,
        headers: &str,
        extra: impl Fn(f64, f64) -> String,
    ) -> String {
        let comma = if headers.is_empty() { "" } else { "," };
        let mut s = format!("Time (s),RPM,Throttle (%){comma}{headers}\n");
        for i in 0..((self.seconds() - 0.2) * hz) as usize {
            let t = 0.1 + i as f64 / hz;
            let rpm = self.rpm(t);
            let _ = writeln!(
                s,
                "{:.4},{:.1},{:.1}{comma}{}",
                t + lag,
                rpm + 3.0 * self.noise(i + 104_729),
                self.throttle(t),
                extra(t, rpm)
            );
        }
        s
    }
}

/// A job with one vehicle and the sets given.
pub(crate) fn job(dyno: Value, sets: Value) -> Value {
    json!({
        "jamjar_job": 1, "correction": "none", "band_rpm": [3000, 6000],
        "vehicle": {"name": "test", "engine": {"displacement_l": 2.0, "ignition": "spark", "aspiration": "naturally_aspirated"}, "dyno": dyno},
        "sets": sets
    })
}

/// One set of pulls from (dyno, ecu) files.
pub(crate) fn set(id: &str, factors: Value, files: &[(String, Option<String>)]) -> Value {
    let pulls: Vec<Value> = files
        .iter()
        .enumerate()
        .map(|(i, (d, e))| {
            let mut p =
                json!({"id": format!("p{}", i + 1), "dyno": d, "conditions": {"pressure_hpa": 1000.0, "temperature_c": 22.0, "humidity": 0.4}});
            if let Some(e) = e {
                p["ecu"] = json!(e);
            }
            p
        })
        .collect();
    json!({"id": id, "day": "2026-03-02", "factors": factors, "pulls": pulls})
}

/// Holds a value of a result against the answer on paper.
pub(crate) fn close(got: &Value, want: f64, share: f64, what: &str) {
    let got = got.as_f64().unwrap_or_else(|| panic!("{what} is missing"));
    assert!((got - want).abs() <= share * want.abs(), "{what}: {got}, expected {want}");
}

/// Highest power of the closed form on the 50 rpm grid, up to the end of the pull.
pub(crate) fn peak(p: &Pull) -> f64 {
    (40..=130).map(|k| p.power_at(f64::from(k) * 50.0)).fold(0.0, f64::max)
}
