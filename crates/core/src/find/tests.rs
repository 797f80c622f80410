use super::*;
use crate::air::AirState;
use crate::correction::Correction;
use crate::units::{PowerUnit, TorqueUnit, Units};
use chrono::NaiveDate;
use proptest::prelude::*;

fn day(s: &str) -> NaiveDate {
    s.parse().unwrap()
}

fn reading() -> Reading<'static> {
    Reading { today: day("2026-11-25"), usual: Units::default(), own: &[] }
}

/// The canonical words of a query.
fn read(text: &str) -> String {
    parse(text, &reading()).unwrap().words(None)
}

fn refused(text: &str) -> String {
    parse(text, &reading()).unwrap_err().to_string()
}

#[test]
fn a_query_is_read_as_a_person_would_say_it() {
    for (text, means) in [
        (
            "power over 150 kW, E60, third gear, last spring",
            "power over 150 kW, \"E60\", gear 3, 2026-03-01 to 2026-05-31",
        ),
        ("Where is the pull that made 162 kW?", "power about 162 kW"),
        ("peak power > 150 e60 gear 3", "power over 150 kW, \"e60\", gear 3"),
        ("162.5kw", "power about 162.5 kW"),
        ("160..165 hp", "power between 160 and 165 hp"),
        ("160 kW to 165 kW", "power between 160 and 165 kW"),
        ("torque at least 300", "torque at least 300 N·m"),
        ("between 5800 and 6200 rpm", "peak at between 5800 and 6200 rpm"),
        ("over a limit, not left out", "over a limit, not left out"),
        ("not measured", "not measured"),
        ("not E60, without harbour", "not \"E60\", not \"harbour\""),
        ("map C3 fuel RON 98 E5, strongest", "map \"C3\", fuel \"RON 98 E5\", strongest first"),
        (
            "\"smoke at tip-in\" #smoke by the calibrator",
            "\"smoke at tip-in\", tag \"smoke\", by \"the calibrator\"",
        ),
        ("march 2026", "2026-03-01 to 2026-03-31"),
        ("december", "2025-12-01 to 2025-12-31"),
        ("3 march", "2026-03-03"),
        ("last winter", "2025-12-01 to 2026-02-28"),
        ("last week", "2026-11-16 to 2026-11-22"),
        ("since 2026-03", "since 2026-03-01"),
        ("before march", "until 2026-02-28"),
        ("2025", "2025-01-01 to 2025-12-31"),
        ("last 7 days", "2026-11-19 to 2026-11-25"),
        ("2026-03-02..2026-03-05", "2026-03-02 to 2026-03-05"),
        ("rev limiter, aborted", "ended by rev limiter, aborted"),
        (
            "boost 140 kPa, ethanol over 50 %, air under 15 °C, used over 95 %",
            "boost about 140 kPa, ethanol over 50 %, air under 15 °C, limit used over 95 %",
        ),
        ("RON 95", "\"RON\", \"95\""),
        ("knock over 4°", "knock retard over 4 °"),
        ("exhaust over 950", "exhaust over 950 °C"),
        ("exhaust gas above 1700 °F", "exhaust over 1700 °F"),
        ("λ leaner than 0.9", "leanest λ over 0.9 λ"),
        ("lambda under 0.78", "richest λ under 0.78 λ"),
        ("richest lambda at most 0.8", "richest λ at most 0.8 λ"),
        ("afr over 13.2 afr", "leanest λ over 13.2 AFR"),
        ("duty above 90 %", "injector duty over 90 %"),
        (
            "oil pressure under 30 psi, rail above 170 MPa",
            "oil pressure under 30 psi, rail pressure over 170 MPa",
        ),
        ("gain over 10 kW", "gain over 10 kW"),
        ("who gained more than 10 hp", "gain over 10 hp"),
        ("C3, last 3 pulls", "\"C3\", last 3 pulls"),
        ("the last pull on E60", "\"E60\", last pull"),
        ("last three pulls", "last 3 pulls"),
        ("most torque, E60", "\"E60\", most torque first"),
        ("archived, C3", "archived, \"C3\""),
        ("note oil leak at the turbo", "note \"oil leak at the turbo\""),
        ("note smoke, oil over 120", "note \"smoke\", oil temperature over 120 °C"),
        ("held steps, not heat soak", "flag \"held steps\", not flag \"heat soak\""),
        ("lug-down on E60", "flag \"lug down\", \"E60\""),
        ("", ""),
    ] {
        assert_eq!(read(text), means, "{text}");
    }
}

#[test]
fn units_are_brought_to_one() {
    let range = |text: &str| match &parse(text, &reading()).unwrap().clauses[0].what {
        What::Range { of, low, high, .. } => (*of, *low, *high),
        other => panic!("{other:?}"),
    };
    let near = |a: f64, b: f64| (a / b - 1.0).abs() < 1e-9;
    let (of, low, high) = range("power between 200 and 210 hp");
    assert!(of == Quantity::Power && near(low, 149.14) && near(high, 156.597), "{low} {high}");
    let (of, low, high) = range("boost at least 1.4 bar");
    assert!(of == Quantity::Boost && near(low, 140.0) && high.is_infinite());
    let (of, low, high) = range("20 psi");
    assert!(of == Quantity::Boost && near(low, 19.5 * 6.894_757) && near(high, 20.5 * 6.894_757));
    let (of, low, _) = range("300 lbft");
    assert!(of == Quantity::Torque && near(low, 299.5 * 1.355_817_9));
    let metric = Reading {
        usual: Units { power: PowerUnit::Ps, torque: TorqueUnit::LbFt, ..Units::default() },
        ..reading()
    };
    let usual = parse("power over 200", &metric).unwrap();
    assert_eq!(
        usual.words(None),
        "power over 200 PS",
        "a number without a unit is in the unit the person reads"
    );
}

#[test]
fn what_makes_no_sense_is_refused_with_its_column() {
    assert_eq!(
        refused("E60, power over kW"),
        "column 17: a number is missing here; write for example “power over 100 kW”"
    );
    assert_eq!(refused("power over 150 Nm"), "column 16: N·m is a unit of torque, not of power");
    assert_eq!(refused("gear 3, over 150"), "column 14: 150 of what? Write for example “power over 150 kW”");
    assert_eq!(
        refused("power 165..160"),
        "column 12: nothing lies between 165 and 160; write the smaller number first"
    );
    assert_eq!(
        refused("2026-13"),
        "column 1: 2026-13 is not a date; write year-month-day, such as 2026-03-02, or year-month"
    );
    assert_eq!(
        refused("E60 \"smoke"),
        "column 5: this quotation mark is never closed; put another one after the text"
    );
    assert!(refused("since E60").starts_with("column 7: “since” needs a date"));
}

fn record(pull: i64, day_id: i64) -> Record<'static> {
    let maps = ["Stock", "Harbour A", "C1", "C10"];
    let fuels = ["RON 98 E5", "E60"];
    let k = pull as usize;
    Record {
        place: Place { pull, set: pull / 3, day: day_id },
        position: (k % 3) as u16 + 1,
        date: day("2026-01-01") + chrono::Days::new((day_id % 300) as u64),
        names: [
            "Tolvern T3",
            "A",
            maps[k % 4],
            fuels[k / 2 % 2],
            if k.is_multiple_of(5) { "140 kPa" } else { "as mapped" },
            ["3", "4"][k % 2],
        ],
        ethanol: Some(if k / 2 % 2 == 1 { 0.6 } else { 0.05 }),
        power: (!k.is_multiple_of(11)).then_some((100.0 + (k * 37 % 101) as f64, 6000.0)),
        torque_nm: Some(200.0 + (k % 17) as f64),
        air: (!k.is_multiple_of(7)).then(|| AirState::new(15.0 + (k % 20) as f64, 0.5, 1000.0).unwrap()),
        used: Some((k % 13) as f64 / 10.0),
        states: [["clear", "over", "close", ""][k % 4], ["lift", "rev_limiter"][k % 2], "aligned"],
        flags: if k.is_multiple_of(9) { vec!["heat_soak"] } else { vec![] },
        left_out: k.is_multiple_of(10),
        reached: std::array::from_fn(
            |e| if e == 0 && k.is_multiple_of(4) { (k % 9) as f32 } else { f32::NAN },
        ),
        own: vec![],
        stock: k.is_multiple_of(4),
        archived: false,
    }
}

fn days_of(index: &mut Index, days: impl Iterator<Item = i64>, pulls: i64) {
    for d in days {
        let records: Vec<Record> = (0..pulls).map(|p| record(d * 100 + p, d)).collect();
        index.put_day(d, &records, &[]);
    }
}

fn total(index: &Index, text: &str) -> usize {
    index.find(&parse(text, &reading()).unwrap(), Correction::None, 0, 10).total
}

#[test]
fn the_pull_that_made_a_figure_comes_first_in_the_family_asked_for() {
    let mut index = Index::default();
    days_of(&mut index, 1..200, 12);
    let q = parse("where is the pull that made 162 kW?", &reading()).unwrap();
    for family in [Correction::None, Correction::SaeJ1349] {
        let found = index.find(&q, family, 0, 50);
        let off: Vec<f64> = found.hits.iter().map(|h| (h.power.unwrap().0 - 162.0).abs()).collect();
        assert!(!off.is_empty() && off.iter().all(|o| *o <= 0.5001) && off.is_sorted(), "{off:?}");
    }
    let plain = index.find(&q, Correction::None, 0, 50);
    assert_ne!(
        plain.hits[0].place,
        index.find(&q, Correction::SaeJ1349, 0, 50).hits[0].place,
        "correction moves figures"
    );
}

#[test]
fn what_a_channel_reached_is_found_and_what_was_not_logged_is_not() {
    let mut index = Index::default();
    days_of(&mut index, 1..20, 12);
    let logged = (1..20).flat_map(|d| (0..12).map(move |p| d * 100 + p)).filter(|k| k % 4 == 0);
    assert_eq!(total(&index, "knock over 4°"), logged.clone().filter(|k| k % 9 > 4).count());
    assert_eq!(
        total(&index, "knock at least 0"),
        logged.count(),
        "a pull without a value is no pull of nothing"
    );
    assert_eq!(total(&index, "exhaust over 0"), 0);
}

#[test]
fn what_the_shop_computes_is_found_by_the_name_it_gave_it() {
    let own = |name: &str, words: &str, unit: &str| OwnChannel {
        name: name.into(),
        words: words.into(),
        unit: unit.into(),
    };
    let slip = |unit: &str| own("blower_slip", "blower slip", unit);
    let made = [slip("%"), own("boost_loss_kpa", "boost loss", "kPa")];
    let with = Reading { own: &made, ..reading() };
    let words = |text: &str| parse(text, &with).unwrap().words(None);
    for (text, means) in [
        ("blower slip over 8", "highest blower slip over 8 %"),
        ("blower_slip over 8 %, E60", "highest blower slip over 8 %, \"E60\""),
        ("lowest boost loss at least 0.02 bar", "lowest boost loss at least 0.02 bar"),
        ("boost loss under 3", "lowest boost loss under 3 kPa"),
        ("note smoke, blower slip between 4 and 6", "note \"smoke\", highest blower slip between 4 and 6 %"),
        ("blower slip", "\"blower\", \"slip\""),
    ] {
        assert_eq!(words(text), means);
        assert_eq!(words(&words(text)), means, "what is shown can be typed");
    }
    let refused =
        |text: &str, own: &[OwnChannel]| parse(text, &Reading { own, ..reading() }).unwrap_err().to_string();
    assert_eq!(
        refused("blower slip over 3 kW", &made),
        "column 20: kW is no unit of blower slip, which is %"
    );
    assert!(refused("blower slip over", &made).contains("blower slip over 10 %"));
    assert!(refused("blower slip over 3", &[slip("%"), slip("")]).contains("another unit"));

    let mut index = Index::default();
    let with_slip = |pull: i64, ends: [f32; 2]| Record {
        own: vec![Own { name: "blower_slip", unit: "%", ends }],
        ..record(pull, 1)
    };
    let found =
        |index: &Index, text: &str| index.find(&parse(text, &with).unwrap(), Correction::None, 0, 10).total;
    index.put_day(1, &[with_slip(1, [2.0, 9.0]), with_slip(2, [3.0, 7.0]), record(3, 1)], &[]);
    assert_eq!(found(&index, "blower slip over 8"), 1);
    assert_eq!(found(&index, "blower slip over 1, boost loss over 0"), 0, "nobody computed it there");
    assert_eq!(found(&index, "not blower slip over 8"), 2, "the one without it is none of those");
    assert_eq!(found(&index, "lowest blower slip over 2.5"), 1);
    index.put_day(1, &[record(1, 1), with_slip(2, [3.0, 7.0]), record(3, 1)], &[]);
    assert_eq!(found(&index, "blower slip over 1"), 1, "what was known of the pull before is gone");
    // So many days that the rows are written anew.
    days_of(&mut index, 2..300, 12);
    days_of(&mut index, 2..300, 11);
    assert_eq!(found(&index, "blower slip over 1"), 1);
}

#[test]
fn gains_are_counted_from_the_days_own_baseline_in_the_same_gear() {
    let mut index = Index::default();
    let one = |pull: i64, set: i64, map: &'static str, gear: &'static str, kw: f64| Record {
        place: Place { pull, set, day: 1 },
        names: ["Tolvern T3", "A", map, "E60", "", gear],
        power: Some((kw, 6000.0)),
        stock: map == "Stock",
        air: None,
        left_out: false,
        ..record(pull, 1)
    };
    let records = [
        one(1, 1, "C1", "4", 118.0),
        one(2, 2, "Stock", "4", 100.0),
        one(3, 2, "Stock", "4", 102.0),
        Record { left_out: true, ..one(4, 2, "Stock", "4", 60.0) },
        one(5, 3, "C1", "3", 109.0),
        one(6, 4, "Stock", "3", 104.0),
    ];
    index.put_day(1, &records, &[]);
    let pulls = |text: &str| -> Vec<i64> {
        let found = index.find(&parse(text, &reading()).unwrap(), Correction::None, 0, 10);
        found.hits.iter().map(|h| h.place.pull).collect()
    };
    assert_eq!(pulls("gain over 10 kW"), [1], "117 − 101 in fourth, 5 in third");
    assert_eq!(pulls("gain between 4.5 and 5.5"), [5]);
    assert_eq!(pulls("gain under 0, not left out"), [2]);
    index.put_day(1, &[], &[]);
    assert!(index.find(&parse("gain over 0", &reading()).unwrap(), Correction::None, 0, 10).hits.is_empty());
}

#[test]
fn the_last_few_of_those_that_match_are_the_newest() {
    let mut index = Index::default();
    days_of(&mut index, 1..20, 12);
    let find = |text: &str| index.find(&parse(text, &reading()).unwrap(), Correction::None, 0, 40);
    let (all, last) = (find("E60"), find("E60, last 3 pulls"));
    assert_eq!((last.total, &last.hits[..]), (3, &all.hits[..3]));
    let strongest = find("E60, strongest, last 3 pulls");
    assert!(strongest.hits.iter().all(|h| last.hits.contains(h)) && strongest.total == 3);
    assert_eq!(find("last 9999 pulls").total, index.len());
}

#[test]
fn torque_has_an_order_of_its_own() {
    let mut index = Index::default();
    days_of(&mut index, 1..40, 12);
    let torques = |text: &str| -> Vec<f64> {
        let q = parse(text, &reading()).unwrap();
        index.find(&q, Correction::SaeJ1349, 0, 60).hits.iter().map(|h| h.torque_nm.unwrap()).collect()
    };
    assert!(torques("most torque").windows(2).all(|w| w[0] >= w[1]));
    assert!(torques("least torque").windows(2).all(|w| w[0] <= w[1]));
    assert!(torques("most torque")[0] > torques("least torque")[0]);
}

#[test]
fn archived_pulls_are_found_when_they_are_asked_for_and_never_else() {
    let mut index = Index::default();
    let mut records: Vec<Record> = (0..12).map(|p| record(100 + p, 1)).collect();
    records[3].archived = true;
    index.put_day(1, &records, &[]);
    assert_eq!(
        (index.len(), total(&index, ""), total(&index, "archived"), total(&index, "not archived")),
        (11, 11, 1, 11)
    );
    records[3].archived = false;
    index.put_day(1, &records, &[]);
    assert_eq!((index.len(), total(&index, ""), total(&index, "archived")), (12, 12, 0));
}

#[test]
fn a_name_nearly_written_is_offered_and_a_description_is_a_name() {
    let mut index = Index::default();
    days_of(&mut index, 1..3, 12);
    let meant = |text: &str| index.find(&parse(text, &reading()).unwrap(), Correction::None, 0, 5).meant;
    assert_eq!(meant("tolvurn"), [(0, "Tolvern T3".to_owned())]);
    assert_eq!(meant("gear 3, harbor"), [(1, "Harbour A".to_owned())]);
    assert_eq!(meant("E61, tolvern"), [(0, "E60".to_owned())]);
    assert!(meant("elephant").is_empty() && meant("E6, tolvern").is_empty());
    assert_eq!(total(&index, "saloon"), 0);
    index.describe([("Tolvern T3".to_owned(), "Hill-climb Saloon".to_owned())]);
    assert_eq!((total(&index, "saloon"), total(&index, "vehicle \"hill-climb\"")), (24, 24));
}

#[test]
fn a_name_asked_for_in_full_is_not_a_part_of_another() {
    let mut index = Index::default();
    days_of(&mut index, 1..3, 40);
    assert_eq!(total(&index, "map C1"), 20);
    assert_eq!(total(&index, "map C"), 80 - 20, "as a part it is found in C1, C10 and Stock");
    assert_eq!(total(&index, "c1"), 20);
    assert_eq!(total(&index, "C1, C10"), 0);
    assert_eq!(total(&index, "not map C1"), 60);
}

#[test]
fn notes_find_their_pull_their_set_or_their_day() {
    let mut index = Index::default();
    let records: Vec<Record> = (300..312).map(|p| record(p, 3)).collect();
    let note = |scope, text: &str, tag: &str| Note {
        scope,
        text: text.into(),
        tag: tag.into(),
        by: "The Calibrator".into(),
    };
    let notes = [
        note(Scope::Day, "Rain outside", "weather"),
        note(Scope::Set(101), "puffs of SMOKE", "smoke"),
        note(Scope::Pull(311), "belt squeal", ""),
    ];
    index.put_day(3, &records, &notes);
    assert_eq!(total(&index, "rain"), 12);
    assert_eq!(total(&index, "smoke"), 3);
    assert_eq!(total(&index, "#smoke"), 3);
    assert_eq!(total(&index, "\"belt squeal\", by the calibrator"), 1);
    assert_eq!(total(&index, "note rain, tag smoke"), 3);
    index.put_day(3, &records, &[note(Scope::Day, "tomorrow E60", "")]);
    assert_eq!(
        (total(&index, "E60"), total(&index, "note E60"), total(&index, "tomorrow")),
        (6, 12, 12),
        "a known name is that thing"
    );
    index.put_day(3, &records, &[]);
    assert_eq!(total(&index, "smoke"), 0);
}

#[test]
fn a_day_put_again_replaces_what_was_known_of_it() {
    let mut index = Index::default();
    days_of(&mut index, 1..400, 12);
    assert_eq!(index.len(), 399 * 12);
    days_of(&mut index, 1..200, 11);
    days_of(&mut index, 390..400, 0);
    assert_eq!(index.len(), 199 * 11 + 190 * 12);
    assert_eq!(total(&index, ""), index.len());
    let fresh = {
        let mut i = Index::default();
        days_of(&mut i, 1..200, 11);
        days_of(&mut i, 200..390, 12);
        i
    };
    let q = parse("E60, power over 150, newest first", &reading()).unwrap();
    assert_eq!(index.find(&q, Correction::SaeJ1349, 5, 20), fresh.find(&q, Correction::SaeJ1349, 5, 20));
}

#[test]
fn nothing_found_says_which_condition_stands_in_the_way() {
    let mut index = Index::default();
    days_of(&mut index, 1..20, 12);
    let found =
        index.find(&parse("E60, gear 9, power over 100", &reading()).unwrap(), Correction::None, 0, 5);
    assert_eq!((found.total, found.without.len()), (0, 1));
    assert_eq!(found.without[0].0, 1, "the gear");
    assert_eq!(found.without[0].1, total(&index, "E60, power over 100"));
    let hopeless = index.find(&parse("gear 9, power over 900", &reading()).unwrap(), Correction::None, 0, 5);
    assert!(hopeless.without.is_empty(), "taking one away helps nothing");
    assert!(index.find(&parse("gear 9", &reading()).unwrap(), Correction::None, 0, 5).without.is_empty());
}

#[test]
fn pages_of_an_answer_follow_each_other_in_every_order() {
    let mut index = Index::default();
    days_of(&mut index, 1..30, 12);
    for order in ["newest", "oldest", "strongest", "weakest", "power 150"] {
        let q = parse(order, &reading()).unwrap();
        let all: Vec<i64> =
            index.find(&q, Correction::SaeJ1349, 0, 1000).hits.iter().map(|h| h.place.pull).collect();
        let mut paged = Vec::new();
        for page in 0..all.len().div_ceil(7) {
            paged.extend(index.find(&q, Correction::SaeJ1349, 7 * page, 7).hits.iter().map(|h| h.place.pull));
        }
        assert_eq!(paged, all, "{order}");
    }
    // Many more rows than a page, in no order of days: what is passed over must not have been among the
    // first.
    let mut index = Index::default();
    (0..300).for_each(|k| days_of(&mut index, (k * 7 % 300) + 1..(k * 7 % 300) + 2, 12));
    for text in [
        "newest",
        "oldest",
        "strongest",
        "weakest",
        "power 150",
        "torque 100..900",
        "E60, strongest",
        "boost 140",
    ] {
        let q = parse(text, &reading()).unwrap();
        let all = index.find(&q, Correction::SaeJ1349, 0, 5000);
        let first = index.find(&q, Correction::SaeJ1349, 0, 40).hits;
        assert!(first.len() > 10 && all.hits[..first.len()] == first[..], "{text}: {}", first.len());
    }
    let strongest = index.find(&parse("strongest", &reading()).unwrap(), Correction::None, 0, 1000);
    let powers: Vec<Option<f64>> = strongest.hits.iter().map(|h| h.power.map(|p| p.0)).collect();
    assert!(
        powers.windows(2).all(|w| w[0].unwrap_or(-1.0) >= w[1].unwrap_or(-1.0)),
        "pulls without a figure come last"
    );
}

#[test]
fn facets_count_what_matches_and_their_conditions_find_as_many() {
    let mut index = Index::default();
    days_of(&mut index, 1..60, 12);
    let q = parse("E60", &reading()).unwrap();
    let found = index.find(&q, Correction::None, 0, 5);
    assert!(found.facets.len() >= 7, "{:?}", found.facets);
    for facet in &found.facets {
        for (clause, n) in &facet.values {
            let narrowed = format!("{}, {}", q.words(None), clause.words());
            assert_eq!(total(&index, &narrowed), *n, "{narrowed}");
        }
    }
}

proptest! {
    #[test]
    fn reading_never_panics(text in "\\PC{0,60}") {
        let _ = parse(&text, &reading());
    }

    #[test]
    fn canonical_words_read_as_themselves(parts in proptest::collection::vec(0usize..18, 0..6)) {
        let all = ["power over 150 hp", "torque 300..320", "E60", "gear 3", "last spring", "not left out", "since march", "map \"C 3\"", "#smoke",
            "over a limit", "air at most 12.5 c", "not \"rain, wind\"", "before 2025", "oldest", "exhaust over 1700 °f", "leaner than 0.9 λ", "last 3 pulls", "gain over 4 ps"];
        let text = parts.iter().map(|i| all[*i]).collect::<Vec<_>>().join(", ");
        let once = read(&text);
        prop_assert_eq!(read(&once), once);
    }

    #[test]
    fn the_index_finds_what_looking_at_every_record_finds(low in 100.0..200.0f64, wide in 0.0..60.0f64, gear in 3..5i32, from in 1u32..200) {
        let mut index = Index::default();
        days_of(&mut index, 1..80, 12);
        let since = day("2026-01-01") + chrono::Days::new(from.into());
        let text = format!("power between {low:.2} and {:.2} kW, gear {gear}, since {since}, not over a limit", low + wide);
        let (a, b): (f64, f64) = (format!("{low:.2}").parse().unwrap(), format!("{:.2}", low + wide).parse().unwrap());
        let expected = (1..80).flat_map(|d| (0..12).map(move |p| record(d * 100 + p, d)))
            .filter(|r| r.power.is_some_and(|p| p.0 >= a && p.0 <= b) && r.names[5] == gear.to_string() && r.date >= since && r.states[0] != "over")
            .count();
        prop_assert_eq!(total(&index, &text), expected);
    }
}
