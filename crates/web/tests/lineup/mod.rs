//! Torque beside power, channels over each other, every limit against every set; on the demo.

mod watched;

use crate::common::{Cell, by};
use jamjar_core::limits::Limit;

fn count(text: &str, what: &str) -> usize {
    text.matches(what).count()
}

#[tokio::test(flavor = "multi_thread")]
async fn torque_stands_beside_power_or_in_its_place() {
    let cell = Cell::with_demo().await;
    let power = cell.get("/line-up?sets=1,2&base=1").await.text();
    assert!(power.contains("power at the hub, kW") && !power.contains("torque at the hub"));
    let torque = cell.get("/line-up?sets=1,2&base=1&show=torque").await.text();
    assert!(torque.contains("torque at the hub, N·m") && !torque.contains("power at the hub"));
    let answer = torque.split("<h1 id=\"answer\">").nth(1).unwrap().split('<').next().unwrap();
    assert!(answer.contains(" N·m more torque at peak than Stock on RON 95 E5"), "{answer}");
    assert!(torque.contains("largest gain in torque anywhere, N·m at rpm"));
    let both = cell.get("/line-up?sets=1,2&base=1&show=both&torque=lbft&band=3000-5000").await.text();
    assert!(both.contains("power at the hub, kW") && both.contains("torque at the hub, lb·ft"));
    assert!(both.contains("gains ") && both.contains("Torque at peak: +"), "two sentences");
    assert!(both.contains("mean torque from 3000 to 5000 rpm, lb·ft"));
    assert!(
        both.contains("largest gain in torque from 3000 to 5000 rpm, lb·ft at rpm"),
        "within the band that was typed"
    );
    assert_eq!(
        count(&both, "\"id\":\"torque\"") + count(&both, "\"id\":\"power\""),
        2,
        "the cursor reads both"
    );
    let at = cell.get("/line-up?sets=1,2&base=1&view=torque_at&at=4000").await.text();
    assert!(at.contains("more torque at 4000 rpm than Stock on RON 95 E5"));
    let csv = cell.get("/line-up/data.csv?sets=1,2&base=1&lanes=mixture").await.text();
    let heads = csv.lines().nth(1).unwrap();
    assert!(heads.contains("gain (N·m)") && heads.contains("λ 1 (λ)"), "{heads}");
    let at_4000 = csv.lines().find(|l| l.starts_with("4000,")).unwrap();
    let cells: Vec<f64> = at_4000.split(',').map(|c| c.parse().unwrap_or(f64::NAN)).collect();
    let column =
        |what: &str| heads.split(',').position(|h| h.starts_with("C1") && h.ends_with(what)).unwrap();
    let (kw, nm) = (cells[column("gain (kW)")], cells[column("gain (N·m)")]);
    assert!((nm - kw * 1000.0 / (4000.0 * std::f64::consts::PI / 30.0)).abs() < 0.05, "{kw} {nm}");
    assert!((0.7..1.1).contains(&cells[column("λ 1 (λ)")]));
    // The same curves in the other open forms: every column under its name.
    for (form, begins) in [("parquet", "PAR1"), ("mf4", "MDF     4.10"), ("csv", "# Tolvern T3")] {
        let out = cell.get(&format!("/line-up/data/{form}?sets=1,2&base=1&lanes=mixture")).await;
        assert!(out.status.is_success(), "{form}: {}", out.text());
        assert!(out.body.starts_with(begins.as_bytes()), "{form}");
        let holds = |what: &str| out.body.windows(what.len()).any(|w| w == what.as_bytes());
        assert!(holds("band half-width") && holds("engine speed") && holds("λ 1"), "{form}");
    }
    assert_eq!(cell.get("/line-up/data/xls?sets=1,2").await.status, axum::http::StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn any_channel_lies_under_the_curves_and_who_did_not_log_it_is_named() {
    let cell = Cell::with_demo().await;
    let plain = cell.get("/line-up?sets=1,2&base=1").await.text();
    assert!(plain.contains("lanes=mixture#lanes") && !plain.contains("Channels of the pulls"));
    let page = cell.get("/line-up?sets=1,2&base=1&lanes=mixture,pressure").await.text();
    assert!(page.contains(">mixture, λ</text>") && page.contains(">manifold pressure, kPa absolute</text>"));
    assert!(
        page.contains("Channels of the pulls") && page.contains("lanes=pressure#lanes"),
        "and a way to hide it"
    );
    assert!(count(&page, "fill-opacity=\".14\"") >= 4, "each set's extremes");
    let imperial =
        cell.get("/line-up?sets=1,2&base=1&lanes=mixture,pressure&pressure=psi&scale=afr").await.text();
    assert!(
        imperial.contains("manifold pressure, psi absolute")
            && imperial.contains("mixture, AFR, gasoline scale")
    );
    let less = cell.get("/line-up?sets=1,2&base=1&lanes=pressure&minus=1").await.text();
    assert!(
        less.contains("manifold pressure, kPa, less the baseline&#39;s")
            || less.contains("less the baseline's</text>")
    );
    assert_eq!(count(&less, "fill-opacity=\".14\""), 0, "a difference of means has no extremes");

    // The off-the-shelf map was pulled without exhaust temperature on its first day.
    let all = cell.store.sets_of_day(1).await.unwrap();
    let shelf = all.iter().find(|s| s.set.config.map.starts_with("Harbour")).unwrap().set.id;
    let page = cell.get(&format!("/line-up?sets=1,{shelf}&base=1&lanes=exhaust")).await.text();
    assert!(page.contains("exhaust temperature, °C; not measured: Harbour A"), "{}", &page[..200]);
    assert!(page.contains("colspan=\"5\">not measured</td>"));
    let nonsense = cell.get("/line-up?sets=1,2&base=1&lanes=nothing,%3Cb%3E").await.text();
    assert!(nonsense.contains("id=\"answer\"") && !nonsense.contains("<b>nothing"));
}

#[tokio::test(flavor = "multi_thread")]
async fn every_limit_stands_against_every_set_and_opens_the_worst_pull() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/line-up?sets=1,2,3,4,5,6&base=1").await.text();
    let matrix = page.split("id=\"limits\"").nth(1).unwrap().split("</table>").next().unwrap();
    let limits = cell.store.vehicle(1).await.unwrap().limits.len();
    assert_eq!(count(matrix, "<th scope=\"row\">"), limits);
    assert_eq!(count(matrix, "class=\"glyph\""), 6 * limits, "every set, every limit");
    assert!(matrix.contains(">not measured<") && matrix.contains(">over<"));
    let over =
        matrix.split(">over<").next().unwrap().rsplit("href=\"").next().unwrap().split('"').next().unwrap();
    let pull = cell.get(&over.replace("&#38;", "&")).await.text();
    assert!(pull.contains("over by"), "the pull says so too: {over}");
}

/// The best set that kept its limits heads the line-up; a larger gain that did not is named after it.
#[tokio::test(flavor = "multi_thread")]
async fn a_larger_gain_that_crossed_a_limit_comes_second() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let ids: Vec<String> = sets.iter().map(|s| s.set.id.to_string()).collect();
    let address = format!("/line-up?sets={}&base={}", ids.join(","), ids[0]);
    let page = cell.get(&address).await.text();
    let answer = page.split("<h1 id=\"answer\">").nth(1).unwrap().split("</h1>").next().unwrap();
    let second = page.split("id=\"second\"").nth(1).unwrap().split("</p>").next().unwrap();
    assert!(answer.contains(" gains "), "{answer}");
    assert!(
        second.contains("shows more, +") && second.contains("but") && second.contains("over by"),
        "{second}"
    );
    let under = page.split("class=\"caveats\"").nth(1).unwrap();
    assert!(
        !under.split("</p>").next().unwrap().contains("Don&#39;t run this"),
        "what heads it kept its limits"
    );
}

/// A larger gain whose stop limit nobody can answer for does not head a line-up either, as long as another is known to
/// have kept its own; where none is, it does, and its limits say so.
#[tokio::test(flavor = "multi_thread")]
async fn a_larger_gain_without_a_verdict_comes_second() {
    let cell = Cell::with_demo().await;
    let answer = |page: &str| {
        page.split("<h1 id=\"answer\">").nth(1).unwrap().split("</h1>").next().unwrap().to_owned()
    };
    let sets: Vec<String> =
        cell.store.sets_of_day(3).await.unwrap().iter().map(|s| s.set.id.to_string()).collect();
    let address = format!("/line-up?sets={}&base={}", sets.join(","), sets[0]);
    let before = answer(&cell.get(&address).await.text());
    assert!(before.starts_with("C3 on RON 98 E5 gains"), "{before}");

    let unheard = |only: serde_json::Value| {
        let limit = serde_json::json!({
            "id": "oil", "channel": "oil_pressure", "direction": "below", "threshold": 200.0, "gate": [],
            "sustain_s": 0.2, "caution": 20.0, "severity": "stop", "applies_to": only
        });
        serde_json::from_value::<Limit>(limit).unwrap()
    };
    let keep = async |limit: Limit| {
        cell.store.change_limits(1, None, &[limit], &[], &by()).await.unwrap();
        cell.get(&address).await.text()
    };
    let page = keep(unheard(serde_json::json!({"map": ["C3"]}))).await;
    let second = page.split("id=\"second\"").nth(1).unwrap().split("</p>").next().unwrap();
    assert!(answer(&page).starts_with("C6 on RON 98 E5 gains"), "{}", answer(&page));
    assert!(
        second.contains("C3 on RON 98 E5 shows more, +") && second.contains("stop limits has no verdict"),
        "{second}"
    );
    let page = keep(unheard(serde_json::json!({}))).await;
    assert_eq!(answer(&page), before, "none is known to have kept it");
    assert!(page.contains("Oil pressure not measured"), "and that is said");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pull_lies_beside_the_baselines_middle_pull_until_somebody_chooses_another() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let (stock, c2) = (&sets[0], sets.iter().find(|s| s.set.config.map == "C2").unwrap());
    let (middle, own) = (stock.pulls[1].0.id, c2.pulls[0].0.id);
    let page = cell.get(&format!("/pulls/{own}?lanes=power,mixture,exhaust")).await.text();
    assert!(
        page.contains(&format!("<option value=\"{middle}\" selected>Stock on RON 95 E5, pull 2")),
        "{page}"
    );
    assert!(count(&page, ">beside</text>") >= 3 && count(&page, "stroke-dasharray=\"2 3\"") >= 3);
    assert!(page.contains("stroke=\"var(--rosehip)\" stroke-width=\"1.4\""), "limits stand in their lanes");
    let none = cell.get(&format!("/pulls/{own}?lanes=power,mixture&beside=none")).await.text();
    assert_eq!(count(&none, ">beside</text>"), 0);
    assert!(none.contains("beside=none"), "links keep the choice");
    let baseline = cell.get(&format!("/pulls/{middle}?lanes=power")).await.text();
    assert_eq!(count(&baseline, ">beside</text>"), 0, "a pull of the baseline lies beside none by itself");
    let shelf = sets.iter().find(|s| s.set.config.map.starts_with("Harbour")).unwrap().pulls[0].0.id;
    let page = cell.get(&format!("/pulls/{own}?lanes=power,exhaust&beside={shelf}")).await.text();
    assert!(page.contains("It did not measure exhaust temperature"), "who did not log it is named");
    assert!(cell.get(&format!("/pulls/{own}?beside=x")).await.text().contains("is no pull"));
    assert_eq!(
        cell.get(&format!("/pulls/{own}?beside=99999")).await.status,
        axum::http::StatusCode::NOT_FOUND
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn several_speeds_stand_side_by_side_and_a_step_is_held_against_another() {
    let cell = Cell::with_demo().await;
    let plain = cell.get("/line-up?sets=1,2,3&base=1").await.text();
    assert!(plain.contains("name=\"speeds\"") && !plain.contains("id=\"speed-table\""));
    let page =
        cell.get("/line-up?sets=1,2,3&base=1&speeds=5000,3000+rpm,3000&at=3000&view=power_at").await.text();
    let table = page.split("id=\"speed-table\"").nth(1).unwrap().split("</table>").next().unwrap();
    assert!(table.contains("power at 3000, kW") && table.contains("torque at 5000, N·m"));
    assert_eq!(count(table, "<th class=\"r\">"), 4, "each speed once, power and torque");
    // What the table says of one speed is what the figure at that speed says.
    let row = table.split("C1 on RON 95 E5</th>").nth(1).unwrap().split("</tr>").next().unwrap();
    let gain =
        row.split("num strong\">").nth(1).unwrap().split('<').next().unwrap().replace(", not shown", "");
    let figures = page.split("id=\"figure-table\"").nth(1).unwrap();
    assert!(figures.contains(&format!("tabindex=\"0\">{gain}<")), "{gain}");
    // Two sets alone borrow the scatter of the day's others there too.
    let two = cell.get("/line-up?sets=1,2&base=1&speeds=3000,5000").await.text();
    let of = |page: &str| {
        let table =
            page.split("id=\"speed-table\"").nth(1).unwrap().split("</table>").next().unwrap().to_owned();
        table.split("C1 on RON 95 E5</th>").nth(1).unwrap().split("</tr>").next().unwrap().to_owned()
    };
    assert_eq!(of(&two), of(&page));
    let far = cell.get("/line-up?sets=1,2&base=1&speeds=1000,9000").await.text();
    assert!(far.contains("not covered"));

    let asked = cell.get("/line-up?sets=1,2,3&base=1&step_one=1-3&step_two=1-2").await.text();
    let steps = asked.split("id=\"steps\"").nth(1).unwrap().split("</details>").next().unwrap();
    assert!(steps.contains("Stock on RON 95 E5 to ") && steps.contains(" than "), "{steps}");
    assert!(asked.contains("steps=1-3,1-2"), "links carry it");
    let two = cell.get("/line-up?sets=1,2&base=1&steps=1-2,1-9").await.text();
    assert!(!two.contains("id=\"steps\""), "two sets have one step");
}

#[tokio::test(flavor = "multi_thread")]
async fn sets_are_held_against_each_other_in_other_ways_each_a_sentence_and_a_link() {
    let cell = Cell::with_demo().await;
    let all = "/line-up?sets=1,2,3,4,5,6,7,8&base=1&focus=2";
    let page = cell.get(all).await.text();
    for says in [
        "Other ways to hold them against each other",
        "the hollow at 3600 rpm",
        "The change of map acts in fuel RON 95 E5 (+",
        "Between its own shifts, from 3",
        "What does it take for the same output?",
    ] {
        assert!(page.contains(says), "{says}");
    }
    assert!(!page.contains("The same 100 kW"), "nobody asked for a channel");
    let equal = cell.get(&format!("{all}&equal=manifold_pressure")).await.text();
    assert!(equal.contains("The same 100 kW in C1 on RON 95 E5 as in Stock on RON 95 E5"), "{equal}");
    assert!(equal.contains("more manifold pressure") && equal.contains("of speed, rpm"));
    let psi = cell.get(&format!("{all}&equal=manifold_pressure&pressure=psi&power=hp")).await.text();
    assert!(psi.contains(" psi more manifold pressure") && psi.contains("power, hp"), "{psi}");
    let unknown = cell.get(&format!("{all}&equal=no_such_channel")).await.text();
    assert!(!unknown.contains("The same "), "a channel nobody has is not read");
    assert!(!cell.get("/line-up?sets=1").await.text().contains("Other ways"), "one set alone");
}

#[tokio::test(flavor = "multi_thread")]
async fn sets_of_several_vehicles_are_compared_in_per_cent_only_and_it_is_said() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.latest_sets(400).await.unwrap();
    let of = |vehicle: i64| {
        sets.iter()
            .find(|s| s.vehicle_id == vehicle && s.config.map_kind == "custom")
            .map(|s| (s.id, s.vehicle.clone()))
    };
    let picked: Vec<(i64, String)> = (1..=4).filter_map(of).collect();
    assert!(picked.len() >= 2, "{picked:?}");
    let ids: Vec<String> = picked.iter().map(|p| p.0.to_string()).collect();
    let page = cell.get(&format!("/line-up?sets={}", ids.join(","))).await.text();
    assert!(page.contains("kilowatts of different vehicles are not compared"), "{page}");
    for (_, name) in &picked {
        assert!(page.contains(&format!("<th scope=\"row\">{name}</th>")), "{name}");
    }
    let table = page.split("<table").nth(1).unwrap().split("</table>").next().unwrap();
    assert!(!table.contains("kW") && table.contains("peak power, %"), "{table}");
    assert!(count(table, "Stock on ") >= picked.len(), "each against its own stock set: {table}");
}

#[tokio::test(flavor = "multi_thread")]
async fn more_sets_than_can_be_read_are_drawn_in_part_and_a_person_chooses() {
    let cell = Cell::with_demo().await;
    let own: Vec<i64> = cell
        .store
        .latest_sets(400)
        .await
        .unwrap()
        .iter()
        .filter(|s| s.vehicle_id == 1)
        .map(|s| s.id)
        .collect();
    assert!(own.len() > 16, "{}", own.len());
    let joined = own.iter().map(i64::to_string).collect::<Vec<_>>().join(",");
    let last = own[own.len() - 1];
    let page = cell.get(&format!("/line-up?sets={joined}&base={last}")).await.text();
    assert!(page.contains(&format!("16 of {} drawn: choose", own.len())), "{page}");
    assert!(page.contains(&format!("value=\"{last}\" checked")), "the baseline is drawn");
    assert_eq!(count(&page, "name=\"set\""), own.len());
    let chosen = cell.get(&format!("/line-up/choose?set=7&set=2&set=7&set=x&base={last}")).await.location();
    assert_eq!(chosen, "/line-up?sets=7,2", "a baseline that was not ticked is none");
    assert_eq!(cell.get("/line-up/choose?set=7&set=2&base=2").await.location(), "/line-up?sets=7,2&base=2");
    assert!(cell.get("/line-up/choose").await.location().ends_with("sets="));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_day_of_single_pulls_stands_on_the_habit_of_its_cell_and_says_so() {
    let cell = Cell::with_demo().await;
    // The newest day with two maps recorded in one gear.
    let mut found = None;
    for day in cell.store.days_of_vehicle(1, 100).await.unwrap() {
        let sets = cell.store.sets_of_day(day.id).await.unwrap();
        let recorded = |s: &jamjar_store::SetWithPulls| s.pulls.iter().all(|p| p.0.finished.is_none());
        let second = sets.iter().position(|s| {
            let (a, b) = (&sets[0].set.config, &s.set.config);
            a.gear == b.gear && a.map != b.map && a.boost == b.boost && recorded(s) && recorded(&sets[0])
        });
        if let Some(k) = second {
            found = Some((sets, k));
            break;
        }
    }
    let (sets, k) = found.unwrap();
    let [one, two] = [&sets[0], &sets[k]];
    let at = format!("/line-up?sets={},{}", one.set.id, two.set.id);
    assert!(!cell.get(&at).await.text().contains("Provisional"), "measured wins");
    for set in &sets {
        for (pull, _) in set.pulls.iter().skip(1) {
            cell.post(&format!("/pulls/{}/exclude", pull.id), &[("reason", "only one was made")]).await;
        }
    }
    let page = cell.get(&at).await.text();
    assert!(page.contains("the scatter is that of the cell&#39;s earlier days (0."), "{page}");
    assert!(page.contains(" provisionally gains ") || page.contains("provisional gain"), "{page}");
    assert!(
        page.contains(" % of one pull, ") && page.contains(" sets, from 0."),
        "how many sets, and how far they lie apart: {page}"
    );
}

/// What stands over the chart and what stands in the list speak of one limit.
#[tokio::test(flavor = "multi_thread")]
async fn the_headline_and_the_list_name_the_same_tightest_limit() {
    let cell = Cell::with_demo().await;
    let mut named = Vec::new();
    for day in [1, 2, 3] {
        let sets = cell.store.sets_of_day(day).await.unwrap();
        let base = sets[0].set.id;
        for s in &sets[1..] {
            let page = cell.get(&format!("/line-up?sets={base},{}&base={base}", s.set.id)).await.text();
            let Some(said) = page.split("the tightest of them is ").nth(1) else { continue };
            let (label, left) = said.split_once(" (").unwrap();
            let left = left.split(" left").next().unwrap();
            let rows = page.split("class=\"small limit quiet\">").skip(1);
            let rows: Vec<&str> = rows.map(|r| r.split('<').next().unwrap()).collect();
            assert!(
                rows.iter().any(|r| r.starts_with(&format!("{label} {left} "))),
                "{label} with {left} left stands in no row of {rows:?}"
            );
            named.push(label.to_owned());
        }
    }
    named.sort();
    named.dedup();
    assert!(named.len() >= 2, "more than one limit is the tightest somewhere: {named:?}");
}
