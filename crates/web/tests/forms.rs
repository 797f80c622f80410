//! Hostile forms and links from a seeded generator: every one is answered, none with a fault of the program.
//!
//! A share runs with every test; more by `JAMJAR_FORMS=100000 JAMJAR_SEED=7 cargo test --test forms --
//! --nocapture`.
#![allow(clippy::unwrap_used)]

mod common;
mod prints;

use common::{Cell, Reply};
use std::collections::BTreeMap;
use std::time::{Duration, Instant};

/// Whole forms, one for each address that takes one.
const FORMS: &[(&str, &[(&str, &str)])] = &[
    (
        "/days",
        &[
            ("vehicle_id", "1"),
            ("name", "Saloon"),
            ("dyno", "hub"),
            ("ratio", "4.1"),
            ("inertia", "12"),
            ("ignition", "spark"),
            ("aspiration", "turbocharged"),
            ("date", "2026-11-26"),
            ("place", "cell 1"),
            ("temperature", "21"),
            ("humidity", "50"),
            ("pressure", "1002"),
            ("altitude", "300"),
            ("note", "windy"),
        ],
    ),
    (
        "/days/1",
        &[("temperature", "21"), ("humidity", "50"), ("pressure", "1002"), ("note", "windy"), ("seen", "")],
    ),
    (
        "/days/1/answers",
        &[("source", "0123456789abcdef"), ("column", "x"), ("channel", "oil_temp"), ("unit", "celsius")],
    ),
    (
        "/days/1/commit",
        &[
            ("map.0", "C3"),
            ("kind.0", "custom"),
            ("fuel.0", "E85"),
            ("boost.0", "120 kPa"),
            ("gear.0", "4"),
            ("build.0", "A"),
            ("note.0", "x"),
            ("pull.0", "1:2:0"),
        ],
    ),
    ("/days/1/checklist", &[("air", "yes")]),
    ("/days/1/notes", &[("at", "14:30"), ("tag", "load"), ("text", "a strap slipped")]),
    ("/days/1/air", &[("at", "14:30"), ("temperature", "24"), ("humidity", "50"), ("pressure", "1001")]),
    ("/days/1/fuel", &[("fuel", "E85"), ("litres", "40"), ("note", "can 2")]),
    (
        "/vehicles/1/sheet",
        &[
            ("model", "T3"),
            ("mass_kg", "1240"),
            ("gears", "3.6 2.05"),
            ("final_drive", "4.1"),
            ("driven", "2500-6500"),
            ("tyre_radius_m", "0.3"),
            ("quoted_power_kw", "118"),
        ],
    ),
    ("/vehicles/1/builds", &[("name", "B"), ("changed", "charge cooler"), ("since", "2026-03-01")]),
    (
        "/vehicles/1/limits",
        &[
            ("channel.0", "lambda_1"),
            ("id.0", "mixture"),
            ("direction.0", "max"),
            ("threshold.0", "0.9"),
            ("over.0", ""),
            ("gate.0", "throttle > 90"),
            ("severity.0", "stop"),
            ("sustain.0", "0.2"),
            ("was.0", "mixture"),
        ],
    ),
    (
        "/vehicles/1/template",
        &[("from", "flex"), ("keep", "lean"), ("at.lean", "0.9"), ("seen.lean", ""), ("looked", "yes")],
    ),
    ("/vehicles/1/maps/1/price", &[("price", "690")]),
    ("/pulls/1/lag", &[("lag", "0.4")]),
    ("/pulls/1/note", &[("note", "x"), ("was", "")]),
    ("/pulls/1/exclude", &[("reason", "slipped"), ("include", "false"), ("back", "pull")]),
    ("/sets/1/note", &[("note", "x"), ("was", "")]),
    ("/sets/1/mark", &[("reason", "wrong fuel"), ("valid", "false")]),
    ("/line-ups", &[("vehicle_id", "1"), ("name", "mine"), ("query", "sets=1,2")]),
    ("/line-ups/1/forget", &[]),
    (
        "/plan",
        &[("vehicle_id", "1"), ("factors", r#"{"map":"C3","fuel":"E85"}"#), ("why", "next"), ("day", "1")],
    ),
    ("/plan/1/drop", &[]),
    ("/theme", &[("theme", "dark")]),
    ("/runs/1/cancel", &[]),
    ("/days/1/inbox/clear", &[]),
    ("/days/1/plan/keep", &[("begins", "09:30"), ("hours", "6"), ("flash", "4"), ("order", "1,2")]),
    ("/days/1/plan/forget", &[]),
    (
        "/settings/checks",
        &[
            ("do", "add"),
            ("text", "Hub adapters torqued"),
            ("group", "Cell"),
            ("takes", "number"),
            ("unit", "N·m"),
            ("low", "110"),
            ("high", "130"),
            ("guards", "yes"),
            ("engine", "spark"),
            ("dyno", "hub"),
        ],
    ),
    (
        "/settings/checks",
        &[("do", "within"), ("id", "warm"), ("low", "70"), ("high", "110"), ("dyno", "hub")],
    ),
];

/// Links with their parts.
const LINKS: &[(&str, &[(&str, &str)])] = &[
    (
        "/line-up",
        &[
            ("sets", "1,2,3"),
            ("base", "1"),
            ("focus", "2"),
            ("view", "gain"),
            ("band", "3000-6000"),
            ("at", "5000"),
            ("across", "yes"),
            ("along", "road"),
            ("power", "hp"),
            ("same", "2"),
        ],
    ),
    ("/line-up/chart.svg", &[("sets", "1,2"), ("band", "3000-6000")]),
    ("/line-up/data.csv", &[("sets", "1,2"), ("along", "time")]),
    ("/search", &[("q", "map C3, over 100 kW"), ("from", "0")]),
    (
        "/pulls/1",
        &[
            ("axis", "rpm"),
            ("lanes", "lambda_1,oil_temp"),
            ("from", "2000"),
            ("to", "5000"),
            ("figure", "peak_power"),
            ("read", "0"),
            ("back", "/"),
        ],
    ),
    ("/days/new", &[("vehicle", "1")]),
    ("/days/1", &[]),
    ("/vehicles/1", &[]),
    ("/files/1", &[]),
    ("/runs/1", &[]),
    ("/settings", &[("correction", "sae"), ("smooth", "0.25")]),
];

const ODD: &[&str] = &[
    "",
    " ",
    "0",
    "-1",
    "1e308",
    "-1e308",
    "1e-320",
    "NaN",
    "inf",
    "9223372036854775807",
    "9223372036854775808",
    "-9223372036854775808",
    "0x10",
    "1,5",
    "1.2.3",
    "٣",
    "½",
    "\u{0}",
    "\u{202e}abc",
    "🏍",
    "e\u{301}",
    "\u{feff}",
    "\r\n\r\n",
    "%00",
    "../../etc",
    "//elsewhere.example",
    "'; DROP TABLE pull; --",
    "<script>alert(1)</script>",
    "=1+1",
    "{}",
    "[[[[",
    "null",
    "true",
    "1:2:3:4",
    "1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16,17",
    "3000-",
    "6000-3000",
    "5 at 1, 4 at 0",
    "throttle > > 90",
    "2026-02-30",
    "24:61",
    "power over 1e999 kW",
    "gear 4, gear 5, gear 6, newest first",
];

/// Numbers that repeat for a seed.
struct Rng(u64);

impl Rng {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        self.0 >> 33
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n.max(1) as u64) as usize
    }

    fn text(&mut self) -> String {
        match self.below(6) {
            0 => ODD[self.below(ODD.len())].repeat(1 + self.below(40)),
            1 => "x".repeat(self.below(20_000)),
            2 => (0..self.below(40)).filter_map(|_| char::from_u32(self.next() as u32 % 0x11_0000)).collect(),
            3 => format!("{}", f64::from_bits(self.next() << 32 | self.next())),
            _ => ODD[self.below(ODD.len())].to_owned(),
        }
    }

    /// A whole form with one to three things wrong.
    fn bend(&mut self, whole: &[(&str, &str)]) -> Vec<(String, String)> {
        let mut form: Vec<(String, String)> =
            whole.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
        for _ in 0..=self.below(3) {
            let at = self.below(form.len());
            match self.below(6) {
                0 if !form.is_empty() => drop(form.remove(at)),
                1 if !form.is_empty() => form.push(form[at].clone()),
                2 => form.push((self.text(), self.text())),
                _ if !form.is_empty() => form[at].1 = self.text(),
                _ => {}
            }
        }
        form
    }

    /// The address with another number in it now and then.
    fn address(&mut self, path: &str) -> String {
        if self.below(5) > 0 {
            return path.to_owned();
        }
        let id =
            ["0", "-1", "9223372036854775807", "99999999999999999999", "x", "1.5", "%F0%9F%8F%8D", "1%00"]
                [self.below(8)];
        path.replacen("/1", &format!("/{id}"), 1)
    }
}

fn encode(form: &[(String, String)]) -> String {
    let encoded = |s: &str| {
        s.bytes()
            .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
            .collect::<String>()
    };
    form.iter().map(|(k, v)| format!("{}={}", encoded(k), encoded(v))).collect::<Vec<_>>().join("&")
}

async fn try_one(cell: &Cell, rng: &mut Rng) -> (String, Reply) {
    if rng.below(3) == 0 {
        let (path, parts) = LINKS[rng.below(LINKS.len())];
        let asked = format!("{}?{}", rng.address(path), encode(&rng.bend(parts)));
        let asked = asked.get(..60_000).unwrap_or(&asked).to_owned();
        let reply = cell.get(&asked).await;
        return (asked, reply);
    }
    let (path, whole) = FORMS[rng.below(FORMS.len())];
    let (path, form) = (rng.address(path), rng.bend(whole));
    let pairs: Vec<(&str, &str)> = form.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    (format!("{path} {form:.600?}"), cell.post(&path, &pairs).await)
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_a_form_or_a_link_says_is_answered_and_is_never_the_programs_fault() {
    let number = |name: &str| std::env::var(name).ok().and_then(|n| n.parse().ok());
    let (count, seed): (u64, u64) =
        (number("JAMJAR_FORMS").unwrap_or(1500), number("JAMJAR_SEED").unwrap_or(1));
    let cell = Cell::with_demo().await;
    let (mut statuses, mut longest, mut slow) = (BTreeMap::<u16, u64>::new(), Duration::ZERO, 0);
    for i in 0..count {
        let mut rng = Rng((seed + i).wrapping_mul(0x9e37_79b9_7f4a_7c15));
        let start = Instant::now();
        let answer = tokio::time::timeout(Duration::from_secs(60), try_one(&cell, &mut rng)).await;
        let (asked, reply) = answer.unwrap_or_else(|_| panic!("seed {}: no answer", seed + i));
        let (took, status) = (start.elapsed(), reply.status.as_u16());
        assert!(status < 500, "seed {}: {status} for {asked}\n{}", seed + i, reply.text());
        if status >= 400 {
            let text = reply.text();
            assert!(
                text.contains("<p") && text.len() > 100,
                "seed {}: {status} without a sentence for {asked}: {text}",
                seed + i
            );
        }
        *statuses.entry(status).or_default() += 1;
        slow += u64::from(took > Duration::from_secs(2));
        longest = longest.max(took);
    }
    println!("{count} forms and links from seed {seed}: {statuses:?}, {slow} over 2 s, longest {longest:?}");
    assert!(
        statuses.get(&200).copied().unwrap_or(0) > 0 && statuses.get(&303).copied().unwrap_or(0) > 0,
        "good ones are among them: {statuses:?}"
    );
    assert!(
        cell.get("/").await.status.is_success() && cell.get("/line-up?sets=1,2").await.status.is_success(),
        "and it goes on as before"
    );
}
