//! Pages through the real router on a real database.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod common;

use axum::body::Body;
use axum::http::{Request, StatusCode};
use common::Cell;
use sha2::{Digest, Sha256};

#[tokio::test(flavor = "multi_thread")]
async fn a_cancelled_demo_leaves_nothing_behind() {
    let cell = Cell::start("cancel").await;
    let run = jamjar_workflow::demo::begin(&cell.store).await.unwrap().unwrap();
    assert!(jamjar_workflow::demo::begin(&cell.store).await.unwrap().is_none(), "one at a time");
    assert!(cell.get("/").await.text().contains("Loading the demo"));
    cell.post(&format!("/runs/{run}/cancel"), &[]).await;
    jamjar_workflow::demo::load(&cell.store, run).await.unwrap_err();
    assert!(!cell.store.has_demo().await.unwrap() && cell.store.vehicles().await.unwrap().is_empty());
    assert!(cell.get("/").await.text().contains("Load the demo"), "and it can be loaded again");
}

#[tokio::test(flavor = "multi_thread")]
async fn files_become_sets_and_the_gain_is_on_screen() {
    let cell = Cell::start("import").await;
    let day = cell.new_day("Tern <2>", "4,1").await;
    let (_, sim) = jamjar_workflow::scenarios::first_light(5, 0.001).unwrap();
    let pulls = sim.days[0].sets[..2].iter().flat_map(|s| &s.pulls);
    let files: Vec<(&str, &[u8])> = pulls
        .flat_map(|p| [&p.dyno, p.ecu.as_ref().unwrap()])
        .map(|f| (f.name.as_str(), f.bytes.as_slice()))
        .collect();
    let inbox = cell.drop_files(&day, &files).await.text();
    assert!(inbox.contains("AFR on the gasoline scale"), "the question is asked: {inbox}");
    let again = cell.drop_files(&day, &files[..1]).await.text();
    assert!(again.contains("here already"));
    let bad =
        cell.drop_files(&day, &[("bad.csv", b"Time (s),RPM,Torque\n0,1000,5\n0.1,abc,6\n")]).await.text();
    assert!(bad.contains("bad.csv:3:2") && bad.contains("is not a number"), "{bad}");

    let items = cell.store.inbox(1).await.unwrap();
    let source = items.iter().find(|i| i.name.ends_with("_ecu.csv")).unwrap().source.clone();
    let answered = cell
        .post(
            &format!("{day}/answers"),
            &[("source", &source), ("column", "WB1"), ("channel", "lambda_1"), ("unit", "afr_gasoline")],
        )
        .await
        .text();
    assert!(!answered.contains("AFR on the gasoline scale (14.7") && answered.contains("you said so"));

    let id = |name: &str| items.iter().find(|i| i.name == name).unwrap().id;
    let pull =
        |stem: &str| format!("{}:{}:", id(&format!("{stem}_dyno.csv")), id(&format!("{stem}_ecu.csv")));
    let values: Vec<String> =
        ["stock-95-p1", "stock-95-p2", "stock-95-p3", "c1-95-p1", "c1-95-p2", "c1-95-p3"]
            .iter()
            .map(|s| pull(s))
            .collect();
    let mut form = vec![
        ("map.0", "Stock"),
        ("kind.0", "stock"),
        ("fuel.0", "RON 95 E5"),
        ("gear.0", "4"),
        ("map.1", "C1 <b>"),
        ("kind.1", "custom"),
        ("fuel.1", "RON 95 E5"),
        ("gear.1", "4"),
    ];
    form.extend(
        values.iter().enumerate().map(|(i, v)| (if i < 3 { "pull.0" } else { "pull.1" }, v.as_str())),
    );
    let nameless: Vec<(&str, &str)> = form.iter().copied().filter(|(k, _)| *k != "map.1").collect();
    assert!(cell.post(&format!("{day}/commit"), &nameless).await.text().contains("Say which map"));
    let run = cell.post(&format!("{day}/commit"), &form).await.text();
    assert!(run.contains("hx-get=\"/runs/"), "progress is shown: {run}");
    let done = cell.finished("/runs/1").await;
    assert_eq!(done.headers.get("hx-refresh").map(|v| v.to_str().unwrap()), Some("true"), "{}", done.text());
    let page = cell.get("/line-up?sets=1,2").await.text();
    assert!(page.contains("C1 &#60;b&#62; on RON 95 E5 gains"), "markup in names is text");
    assert!(!page.contains("C1 <b>"));
    assert!(cell.store.inbox(1).await.unwrap().is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_with_many_pulls_is_offered_pull_by_pull_and_stored_in_parts() {
    let cell = Cell::start("many").await;
    let made = cell
        .post("/days", &[("name", "Brae"), ("dyno", "hub"), ("ratio", "4"), ("date", "2026-03-03")])
        .await;
    let day = made.location();
    let mut csv = String::from("Time (s),Hub speed (rpm),Hub torque (N·m)\n");
    for i in 0..9000 {
        let t = f64::from(i) * 0.02;
        let s = t % 60.0 - 20.0;
        let rpm = if (0.0..8.0).contains(&s) {
            1800.0 + 600.0 * s
        } else if s >= 8.0 {
            (6600.0 - 1400.0 * (s - 8.0)).max(1800.0)
        } else {
            1800.0
        };
        csv += &format!(
            "{t:.2},{:.2},{:.1}\n",
            rpm / 4.0 + 0.1 * f64::from(i % 3),
            if (0.0..8.0).contains(&s) { 700.0 } else { 5.0 }
        );
    }
    let inbox = cell.drop_files(&day, &[("long day.csv", csv.as_bytes())]).await.text();
    assert!(inbox.contains("pull 1 of 3") && inbox.contains("pull 3 of 3"), "{inbox}");
    let id = cell.store.inbox(1).await.unwrap()[0].id;
    let values: Vec<String> = (0..3).map(|n| format!("{id}::{n}")).collect();
    let mut form = vec![("map.0", "stock"), ("fuel.0", "unknown")];
    form.extend(values.iter().map(|v| ("pull.0", v.as_str())));
    cell.post(&format!("{day}/commit"), &form).await;
    let last = cell.finished("/runs/1").await.text();
    assert!(last.contains("done"), "{last}");
    let set = &cell.store.sets_of_day(1).await.unwrap()[0];
    assert_eq!(set.pulls.len(), 3);
    for (k, (pull, summary)) in set.pulls.iter().enumerate() {
        let (dyno, _) = cell.store.samples(pull.id).await.unwrap();
        let span = summary.measured.span.unwrap();
        assert!(dyno.t.len() < 2000, "a part, not the whole file: {}", dyno.t.len());
        assert!((span.from_s - (60.0 * k as f64 + 20.0)).abs() < 0.6, "{k}: {span:?}");
        assert_eq!(pull.number_in_file, Some(k as i32));
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn refusals_are_sentences_with_the_right_status() {
    let cell = Cell::start("refuse").await;
    for (path, status, word) in [
        ("/nowhere", 404, "no page"),
        ("/days/77", 404, "day 77 does not exist"),
        ("/line-up", 400, "needs sets"),
        ("/line-up?sets=99", 400, "none of these sets"),
        ("/assets/../secret", 404, ""),
        ("/runs/5", 404, "run 5"),
    ] {
        let r = cell.get(path).await;
        assert_eq!(r.status.as_u16(), status, "{path}");
        assert!(r.text().contains(word), "{path}: {}", r.text());
        assert!(
            r.headers["content-security-policy"].to_str().unwrap().contains("default-src 'none'"),
            "{path}"
        );
    }
    let r = cell
        .post(
            "/days",
            &[
                ("name", "x"),
                ("dyno", "hub"),
                ("date", "2026-03-03"),
                ("temperature", "20"),
                ("humidity", "50"),
                ("pressure", "29.6"),
            ],
        )
        .await;
    assert_eq!(r.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(r.text().contains("inHg"));
    let foreign = Request::post("/demo")
        .header("host", "127.0.0.1:1")
        .header("origin", "http://elsewhere.example")
        .body(Body::empty())
        .unwrap();
    assert_eq!(cell.send(foreign).await.status, StatusCode::FORBIDDEN);
    let huge = Request::post("/days")
        .header("host", "127.0.0.1:1")
        .header("origin", "http://127.0.0.1:1")
        .header("content-type", "application/x-www-form-urlencoded")
        .body(Body::from(vec![b'a'; 3 << 20]))
        .unwrap();
    assert_eq!(cell.send(huge).await.status, StatusCode::PAYLOAD_TOO_LARGE);
    assert!(cell.post("/pulls/1/exclude", &[("reason", " ")]).await.text().contains("say why"));
    assert_eq!(cell.get("/health").await.text(), "ok");
}

#[test]
fn the_committed_style_sheet_is_fresh() {
    let root = env!("CARGO_MANIFEST_DIR");
    let mut hash = Sha256::new();
    hash.update(std::fs::read(format!("{root}/style/app.css")).unwrap());
    let mut templates: Vec<_> = std::fs::read_dir(format!("{root}/templates"))
        .unwrap()
        .map(|e| e.unwrap().path())
        .filter(|p| p.extension().is_some_and(|e| e == "html"))
        .collect();
    templates.sort();
    templates.iter().for_each(|t| hash.update(std::fs::read(t).unwrap()));
    let want: String = hash.finalize().iter().take(8).map(|b| format!("{b:02x}")).collect();
    let css = std::fs::read_to_string(format!("{root}/assets/dist/app.css")).unwrap();
    assert!(css.starts_with(&format!("/* sources {want} */")), "run scripts/css and commit its result");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_day_is_written_by_hand_and_a_vehicle_kept_up() {
    let cell = Cell::start("sheet").await;
    let made = cell
        .post(
            "/days",
            &[
                ("name", "Tern"),
                ("dyno", "hub"),
                ("ratio", "4.1"),
                ("ignition", "spark"),
                ("aspiration", "turbocharged"),
                ("date", "2026-03-03"),
            ],
        )
        .await;
    let day = made.location();
    let text = cell.get(&day).await.text();
    assert!(
        text.contains("No go yet: 6 of the checks that keep people whole are open")
            && text.contains("CO alarm on"),
        "{text}"
    );
    let one = cell.post(&format!("{day}/checklist"), &[("air", "no")]).await.text();
    assert!(one.contains("No go: exhaust extraction"), "{one}");
    for id in ["straps", "guards", "air", "fire", "hearing", "abort"] {
        cell.post(&format!("{day}/checklist"), &[(id, "yes")]).await;
    }
    assert!(cell.get(&day).await.text().contains("Go: 6 of 20 looked at, not signed"));
    // Values are kept, read and judged; who signs is named, and a change afterwards takes the signature off.
    let leak = cell.post(&format!("{day}/checklist"), &[("leak.value", "150 120 60")]).await.text();
    assert!(
        leak.contains("20.0 % lost in a minute") && leak.contains("1 value is out of its window"),
        "{leak}"
    );
    assert!(leak.contains("Write down below what is changed"), "{leak}");
    let change = [("what", "Boost or intake leak test"), ("from", "150 120 60"), ("to", "150 147 60")];
    assert!(
        leak.contains("value=\"Boost or intake leak test\"") && leak.contains("value=\"150 120 60\""),
        "{leak}"
    );
    cell.post(&format!("{day}/changed"), &change).await;
    assert!(cell.get(&day).await.text().contains("150 120 60 → 150 147 60"), "and stands among the changes");
    let signed = cell.post(&format!("{day}/checklist"), &[("go", "yes")]).await.text();
    assert!(signed.contains("signed by "), "{signed}");
    let mended = cell.post(&format!("{day}/checklist"), &[("leak.value", "150 147 60")]).await.text();
    assert!(mended.contains("not signed") && !mended.contains("out of its window"), "{mended}");
    let open = cell.post(&format!("{day}/checklist"), &[("straps", ""), ("go", "yes")]).await.text();
    assert!(
        open.contains("No go yet: 1") && !open.contains("signed by "),
        "nobody signs what is no go: {open}"
    );
    cell.post(&format!("{day}/checklist"), &[("straps", "yes")]).await;

    assert_eq!(
        cell.post(
            &format!("{day}/air"),
            &[("at", "09:10"), ("temperature", "21,4"), ("humidity", "52"), ("pressure", "1002.1")]
        )
        .await
        .status,
        StatusCode::SEE_OTHER
    );
    assert!(
        cell.post(
            &format!("{day}/air"),
            &[("at", "09:20"), ("temperature", "21"), ("humidity", "52"), ("pressure", "29.6")]
        )
        .await
        .text()
        .contains("inHg")
    );
    assert!(
        cell.post(
            &format!("{day}/air"),
            &[("at", "25:00"), ("temperature", "21"), ("humidity", "52"), ("pressure", "1002")]
        )
        .await
        .text()
        .contains("not a time of day")
    );
    cell.post(&format!("{day}/fuel"), &[("fuel", "E85"), ("litres", "40"), ("note", "measured 0.78")]).await;
    cell.post(&format!("{day}/fuel"), &[("fuel", "E85"), ("litres", "32,5"), ("note", "")]).await;
    let long = "x".repeat(2000);
    cell.post(
        &format!("{day}/notes"),
        &[("at", "11:05"), ("tag", "map"), ("text", "found on the old stick <b>")],
    )
    .await;
    cell.post(&format!("{day}/notes"), &[("at", "08:00"), ("tag", ""), ("text", &long)]).await;
    assert!(cell.post(&format!("{day}/notes"), &[("text", "  ")]).await.text().contains("the note is empty"));
    let text = cell.get(&day).await.text();
    assert!(
        text.contains("21.4 °C, 52 % humidity, 1002.1 hPa") && text.contains("09:10"),
        "a reading stands with its time"
    );
    assert!(text.contains("32 L") && !text.contains("40 L"), "fuel on hand is what was said last");
    assert!(text.contains("found on the old stick") && !text.contains("stick <b>"));
    assert!(
        text.find(&long).unwrap() < text.find("found on the old stick").unwrap(),
        "notes stand in order of time"
    );

    let page = cell.get("/vehicles/1").await.text();
    assert!(
        page.contains("No quoted output entered") && page.contains("value=\"petrol, ")
            || page.contains("petrol, boosted")
    );
    let bad = cell.post("/vehicles/1/sheet", &[("mass_kg", "3")]).await;
    assert_eq!(bad.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(bad.text().contains("mass is 3 kg, outside 20"));
    cell.post(
        "/vehicles/1/sheet",
        &[
            ("model", "saloon"),
            ("gears", "3.6 2.05"),
            ("final_drive", "3.94"),
            ("tyre_radius_m", "0.302"),
            ("quoted_power_kw", "118"),
        ],
    )
    .await;
    let page = cell.get("/vehicles/1").await.text();
    assert!(
        page.contains("14.184") && page.contains("Quoted 118.0 kW (where is not said); no stock baseline"),
        "{page}"
    );
    cell.post("/vehicles/1/builds", &[("name", "B"), ("since", "2026-03-20"), ("changed", "larger pump")])
        .await;
    let before = cell.store.vehicle(1).await.unwrap().limits.len();
    let shown = cell.get("/vehicles/1/template?from=flex").await.text();
    assert!(shown.contains("No stock set has been pulled yet") && shown.contains("Fuel pressure"), "{shown}");
    let kept = [("from", "flex"), ("keep", "fuel-pressure"), ("at.fuel-pressure", "320"), ("looked", "")];
    cell.post("/vehicles/1/template", &kept).await;
    let after = cell.store.vehicle(1).await.unwrap().limits;
    assert_eq!(
        after.len(),
        before + 1,
        "only what is ticked is added: {:?}",
        after.iter().map(|l| &l.id).collect::<Vec<_>>()
    );
    assert!(after.iter().all(|l| l.starting_point), "nobody has looked at them");
    let refused = cell
        .post("/vehicles/1/limits", &[("channel.0", "lambda_1"), ("id.0", "lean"), ("threshold.0", "lots")])
        .await;
    assert!(refused.text().contains("limit “lean”, threshold: “lots” is not a number"));
    assert_eq!(cell.store.vehicle(1).await.unwrap().limits.len(), after.len(), "nothing is half-written");
    assert!(cell.get("/vehicles").await.text().contains("Tern"));
    assert!(cell.get("/settings").await.text().contains("The demo is not loaded"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_map_file_is_kept_whole_and_never_replaced() {
    let cell = Cell::start("custody").await;
    cell.post("/days", &[("name", "Tern"), ("dyno", "hub"), ("date", "2026-03-03")]).await;
    let upload = async |name: &str, bytes: &[u8]| {
        let mut body =
            format!("--xyz\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n")
                .into_bytes();
        body.extend(bytes);
        body.extend(b"\r\n--xyz\r\nContent-Disposition: form-data; name=\"kind\"\r\n\r\n\r\n--xyz--\r\n");
        let request = Request::post("/vehicles/1/maps")
            .header("host", "127.0.0.1:1")
            .header("origin", "http://127.0.0.1:1")
            .header("content-type", "multipart/form-data; boundary=xyz")
            .body(Body::from(body))
            .unwrap();
        cell.send(request).await
    };
    let text =
        b"jamjar map 1\nname C7\nkind custom\nrevision of C6\nnote gentle\n\nvalue rev_limit [rpm] 6800\n";
    assert_eq!(upload("c7.map", text).await.status, StatusCode::SEE_OTHER);
    let maps = cell.store.maps(1).await.unwrap();
    let jamjar_store::HeldFile { id, sha256: sha, .. } = maps[0].file.clone().unwrap();
    assert_eq!((maps[0].name.as_str(), maps[0].parent.as_deref(), sha.len()), ("C7", Some("C6"), 64));
    assert_eq!(cell.get(&format!("/files/{id}")).await.body, text, "byte for byte");
    let other = upload("c7-changed.map", &[&text[..], b"value speed_limit [km/h] 120\n"].concat()).await;
    assert!(other.text().contains("never replaced") && other.status == StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(
        upload("again.map", text).await.status,
        StatusCode::SEE_OTHER,
        "the same bytes again are no harm"
    );
    let broken = upload("broken.map", b"jamjar map 1\nname X\noops\n").await.text();
    assert!(broken.contains("broken.map:3:1"), "{broken}");
    assert!(upload("x.bin", &[0, 159, 146, 150]).await.text().contains("give the map a name"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_refused_form_keeps_what_was_typed_and_names_the_field() {
    let cell = Cell::start("typed").await;
    let form = [
        ("name", "Brae"),
        ("dyno", "roller_brake"),
        ("ratio", "4"),
        ("date", "2026-03-03"),
        ("temperature", "72 °F"),
        ("humidity", "152"),
        ("pressure", "29.6 inHg"),
        ("note", "windy & cold"),
    ];
    let refused = cell.post("/days", &form).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    let page = refused.text();
    for kept in [
        "value=\"Brae\"",
        "value=\"72 °F\"",
        "value=\"152\"",
        "windy &#38; cold",
        "\"roller_brake\" selected",
    ] {
        assert!(page.contains(kept), "{kept} is kept: {page}");
    }
    assert!(page.contains("aria-invalid=\"true\" name=\"humidity\""), "the field is marked");
    assert_eq!(page.matches("aria-invalid").count(), 1);
    assert_eq!(cell.get("/days").await.location(), "/days/new", "the address can be opened");
    let mut right = form;
    right[5].1 = "52 %";
    let day = cell.post("/days", &right).await;
    assert_eq!(day.status, StatusCode::SEE_OTHER, "{}", day.text());
    let air = cell.store.day(1).await.unwrap().air.unwrap();
    assert!((air.temperature_c - 22.2).abs() < 0.1 && (air.pressure_hpa - 1002.4).abs() < 0.1);
}

#[tokio::test(flavor = "multi_thread")]
async fn an_import_is_taken_back_and_its_files_wait_again() {
    let cell = Cell::start("undo").await;
    let made = cell
        .post("/days", &[("name", "Brae"), ("dyno", "hub"), ("ratio", "4.1"), ("date", "2026-03-03")])
        .await;
    let day = made.location();
    let (_, sim) = jamjar_workflow::scenarios::first_light(5, 0.001).unwrap();
    let p = &sim.days[0].sets[0].pulls[0];
    let two: Vec<(&str, &[u8])> =
        [&p.dyno, p.ecu.as_ref().unwrap()].map(|f| (f.name.as_str(), f.bytes.as_slice())).into();
    let store_them = async || {
        cell.drop_files(&day, &two).await;
        let items = cell.store.inbox(1).await.unwrap();
        let id = |end: &str| items.iter().find(|i| i.name.ends_with(end)).unwrap().id;
        let pull = format!("{}:{}:", id("dyno.csv"), id("ecu.csv"));
        let form = [("map.0", "Stock"), ("kind.0", "stock"), ("fuel.0", "E30"), ("pull.0", pull.as_str())];
        let run = cell.post(&format!("{day}/commit"), &form).await.text();
        let at = run.split("hx-get=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
        cell.finished(&at).await;
    };
    store_them().await;
    assert!(
        cell.drop_files(&day, &two).await.text().contains("is here already"),
        "twice is said and not done"
    );
    let edit = cell.get(&format!("{day}/edit")).await.text();
    assert!(edit.contains("Undo the last import") && edit.contains("1 set, from 2 files"), "{edit}");
    let run = edit.split("name=\"run\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let stale = cell.post(&format!("{day}/undo"), &[("run", "999")]).await;
    assert_eq!(stale.status, StatusCode::CONFLICT);
    assert_eq!(cell.post(&format!("{day}/undo"), &[("run", &run)]).await.status, StatusCode::SEE_OTHER);
    let page = cell.get(&day).await.text();
    assert!(page.contains("stock-95-p1_dyno.csv"), "the files wait again");
    assert_eq!(cell.store.sets_of_day(1).await.unwrap().len(), 0);
    assert_eq!(
        cell.post(&format!("{day}/undo"), &[("run", &run)]).await.status,
        StatusCode::CONFLICT,
        "once"
    );
    store_them().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    assert_eq!((sets.len(), sets[0].pulls.len()), (1, 1), "and are stored as if for the first time");
    assert!(cell.get(&format!("{day}/edit")).await.text().contains("set 1: Stock on E30, 1 pull"));
}

#[tokio::test(flavor = "multi_thread")]
async fn the_list_before_a_pull_is_the_shops_own_for_each_engine_and_dyno() {
    let cell = Cell::start("checks").await;
    let day = cell.new_day("Petrol on hubs", "4.1").await;
    let change = async |form: &[(&str, &str)]| cell.post("/settings/checks", form).await;
    let add = [("do", "add"), ("text", "Hub adapters torqued"), ("takes", "number"), ("unit", "N·m")];
    let hubs = [&add[..], &[("low", "110"), ("high", "130"), ("dyno", "hub"), ("guards", "yes")]].concat();
    assert_eq!(change(&hubs).await.status, StatusCode::SEE_OTHER);
    let rollers = [&add[..], &[("low", "1"), ("high", "2"), ("dyno", "roller_brake")]].concat();
    assert_eq!(change(&rollers).await.status, StatusCode::SEE_OTHER);
    let upside_down = [&add[..], &[("low", "130"), ("high", "110")]].concat();
    assert_eq!(change(&upside_down).await.status, StatusCode::BAD_REQUEST);
    assert_eq!(change(&[("do", "leave"), ("id", "nothing of the kind")]).await.status, StatusCode::NOT_FOUND);
    change(&[("do", "leave"), ("id", "plugs"), ("engine", "spark")]).await;
    change(&[("do", "leave"), ("id", "straps")]).await;
    change(&[("do", "within"), ("id", "warm"), ("low", "85"), ("high", "105,5")]).await;
    let page = cell.get(&day).await.text();
    assert_eq!(
        page.matches("<legend class=\"strong\">Hub adapters torqued").count(),
        1,
        "on hubs, once: {page}"
    );
    assert!(page.contains("No go yet: 7 of the checks"), "and nobody is hurt before it is answered");
    assert!(!page.contains("Plugs or injectors known") && page.contains("Straps or hubs tight"), "{page}");
    // Its value is read and judged as any other.
    let low =
        cell.post(&format!("{day}/checklist"), &[("own1.value", "95"), ("warm.value", "107")]).await.text();
    assert!(low.contains("95 N·m, window 110 to 130 N·m"), "{low}");
    assert!(low.contains("107 °C oil, window 85 to 105.5 °C oil"), "{low}");
    // A picture stands beside its line; what was answered outlives its line.
    let png = b"\x89PNG\r\n\x1a\nrest";
    let id = day.trim_start_matches("/days/");
    let to = format!("day:{id}");
    cell.upload_with("/attach", &[("to", &to), ("line", "own1")], "torque.png", png).await;
    change(&[("do", "drop"), ("id", "own1")]).await;
    let page = cell.get(&day).await.text();
    let line = page.split("Hub adapters torqued").nth(1).unwrap().split("</legend>").next().unwrap();
    assert!(line.contains("torque.png"), "{line}");
    let next = cell.new_day("Another on hubs", "4.1").await;
    assert!(
        !cell.get(&next).await.text().contains("<legend class=\"strong\">Hub adapters torqued"),
        "asked no more"
    );
    let diesel = cell.get("/settings/checks?engine=compression&dyno=hub").await.text();
    assert!(diesel.contains("Plugs or injectors known"), "left out for spark ignition only: {diesel}");
    let spark = cell.get(&format!("/settings/checks?day={id}")).await.text();
    assert!(spark.contains("Left out here") && spark.contains("spark ignition on a hub dyno"), "{spark}");
    change(&[("do", "back"), ("id", "plugs"), ("engine", "spark")]).await;
    assert!(cell.get(&next).await.text().contains("Plugs or injectors known"));
}
