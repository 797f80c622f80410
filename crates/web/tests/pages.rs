//! Pages through the real router on a real database.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod common;

use axum::body::Body;
use axum::http::{Request, StatusCode};
use common::Cell;
use sha2::{Digest, Sha256};

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_reads_as_its_truth_says() {
    let cell = Cell::start("demo").await;
    let empty = cell.get("/").await.text();
    assert!(empty.contains("Start a day") && empty.contains("Load the demo"), "an empty workshop says what to do next");
    cell.load_demo().await;
    let home = cell.get("/").await.text();
    assert!(home.contains("Tolvern T3") && home.contains("Needs attention") && home.contains("Don&#39;t run this"));

    let day = cell.get("/days/1").await.text();
    assert!(day.contains("back pressure: not measured"), "not measured is said");
    assert_eq!(day.matches("aligned ±").count(), 24);
    let first = &cell.store.sets_of_day(1).await.unwrap()[0].pulls[0].0;
    let csv = cell.store.file(first.dyno_file_id).await.unwrap().bytes + cell.store.file(first.ecu_file_id.unwrap()).await.unwrap().bytes;
    let csv = csv as usize;
    let block = cell.store.block_size(1).await.unwrap();
    assert!(block < csv * 3 / 4, "a stored pull of {block} bytes against {csv} of CSV");
    assert!(day.contains("CO alarm"), "the caution is where the hand is");

    let page = cell.get("/line-up?sets=1,2,3,4,5,6&base=1").await;
    assert_eq!(page.status, StatusCode::OK);
    let text = page.text();
    assert!(text.contains("C2 on E30 gains") && text.contains("over Stock on RON 95 E5 at peak"), "the answer stands first");
    assert!(text.contains("two things changed") && text.contains("kW is the fuel"));
    assert!(text.contains("over by") && text.contains("not measured"));
    let hp = cell.get("/line-up?sets=1,2&base=1&power=hp&correction=none").await;
    assert!(hp.text().contains("power at the hub, hp, uncorrected"));
    let cookie = hp.headers["set-cookie"].to_str().unwrap().split(';').next().unwrap().to_owned();
    let kept = cell.send(Request::get("/line-up?sets=1,2").header("host", "localhost").header("cookie", cookie).body(Body::empty()).unwrap()).await;
    assert!(kept.text().contains("power at the hub, hp, uncorrected"), "the preference is kept");
    for smooth in ["0", "0.1", "0.5"] {
        assert!(cell.get(&format!("/line-up?sets=1,2&smooth={smooth}")).await.text().contains("C1 on RON 95 E5 gains"), "{smooth}");
    }

    let found = cell.get("/search?q=c2+e30").await.text();
    assert!(found.contains("One set matches"), "{found}");
    assert!(cell.get("/search?q=zzz").await.text().contains("Nothing found"));

    let svg = cell.get("/line-up/chart.svg?sets=1,2").await;
    assert!(svg.text().starts_with("<svg") && !svg.text().contains("var(--"));
    let png = cell.get("/line-up/chart.png?sets=1,2").await;
    assert!(png.body.starts_with(&[0x89, b'P', b'N', b'G']));
    let csv = cell.get("/line-up/data.csv?sets=1,3").await.text();
    let line = csv.lines().find(|l| l.starts_with("5000,")).unwrap();
    let cells: Vec<f64> = line.split(',').map(|c| c.parse().unwrap_or(f64::NAN)).collect();
    assert!((cells[5] - cells[1] - cells[7]).abs() < 0.01, "gain is candidate minus base: {line}");

    let reply = cell.post("/pulls/2/exclude", &[("reason", "heat-soaked")]).await;
    assert_eq!(reply.status, StatusCode::SEE_OTHER);
    let day = cell.get("/days/1").await.text();
    assert!(day.contains("Left out of figures: heat-soaked") && day.contains("2 of 3 pulls"));
    cell.post("/pulls/2/exclude", &[("include", "true")]).await;
    assert!(!cell.get("/days/1").await.text().contains("Left out of figures"));
}

#[tokio::test(flavor = "multi_thread")]
async fn files_become_sets_and_the_gain_is_on_screen() {
    let cell = Cell::start("import").await;
    let made = cell
        .post(
            "/days",
            &[
                ("name", "Tern <2>"),
                ("dyno", "hub"),
                ("ratio", "4,1"),
                ("ignition", "spark"),
                ("aspiration", "turbocharged"),
                ("date", "2026-03-03"),
                ("temperature", "21.4"),
                ("humidity", "52"),
                ("pressure", "1002.1"),
            ],
        )
        .await;
    assert_eq!(made.status, StatusCode::SEE_OTHER, "{}", made.text());
    let day = made.location();
    let (_, sim) = jamjar_workflow::scenarios::first_light(5, 0.001).unwrap();
    let pulls = sim.days[0].sets[..2].iter().flat_map(|s| &s.pulls);
    let files: Vec<(&str, &[u8])> = pulls.flat_map(|p| [&p.dyno, p.ecu.as_ref().unwrap()]).map(|f| (f.name.as_str(), f.bytes.as_slice())).collect();
    let inbox = cell.drop_files(&day, &files).await.text();
    assert!(inbox.contains("AFR on the gasoline scale"), "the question is asked: {inbox}");
    let again = cell.drop_files(&day, &files[..1]).await.text();
    assert!(again.contains("here already"));
    let bad = cell.drop_files(&day, &[("bad.csv", b"Time (s),RPM,Torque\n0,1000,5\n0.1,abc,6\n")]).await.text();
    assert!(bad.contains("bad.csv:3:2") && bad.contains("is not a number"), "{bad}");

    let items = cell.store.inbox(1).await.unwrap();
    let source = items.iter().find(|i| i.name.ends_with("_ecu.csv")).unwrap().source.clone();
    let answered = cell
        .post(&format!("{day}/answers"), &[("source", &source), ("column", "WB1"), ("channel", "lambda_1"), ("unit", "afr_gasoline")])
        .await
        .text();
    assert!(!answered.contains("AFR on the gasoline scale (14.7") && answered.contains("you said so"));

    let id = |name: &str| items.iter().find(|i| i.name == name).unwrap().id;
    let pull = |stem: &str| format!("{}:{}:", id(&format!("{stem}_dyno.csv")), id(&format!("{stem}_ecu.csv")));
    let values: Vec<String> = ["stock-95-p1", "stock-95-p2", "stock-95-p3", "c1-95-p1", "c1-95-p2", "c1-95-p3"].iter().map(|s| pull(s)).collect();
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
    form.extend(values.iter().enumerate().map(|(i, v)| (if i < 3 { "pull.0" } else { "pull.1" }, v.as_str())));
    let nameless: Vec<(&str, &str)> = form.iter().copied().filter(|(k, _)| *k != "map.1").collect();
    assert!(cell.post(&format!("{day}/commit"), &nameless).await.text().contains("Say which map"));
    let run = cell.post(&format!("{day}/commit"), &form).await.text();
    assert!(run.contains("hx-get=\"/runs/"), "progress is shown: {run}");
    let done = loop {
        let r = cell.get("/runs/1").await;
        if !r.text().contains("hx-get") {
            break r;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    };
    assert_eq!(done.headers.get("hx-refresh").map(|v| v.to_str().unwrap()), Some("true"), "{}", done.text());
    let page = cell.get("/line-up?sets=1,2").await.text();
    assert!(page.contains("C1 &#60;b&#62; on RON 95 E5 gains") || page.contains("C1 &lt;b&gt; on RON 95 E5 gains"), "markup in names is text");
    assert!(!page.contains("C1 <b>"));
    assert!(cell.store.inbox(1).await.unwrap().is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_with_many_pulls_is_offered_pull_by_pull_and_stored_in_parts() {
    let cell = Cell::start("many").await;
    let made = cell.post("/days", &[("name", "Brae"), ("dyno", "hub"), ("ratio", "4"), ("date", "2026-03-03")]).await;
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
        csv += &format!("{t:.2},{:.2},{:.1}\n", rpm / 4.0 + 0.1 * f64::from(i % 3), if (0.0..8.0).contains(&s) { 700.0 } else { 5.0 });
    }
    let inbox = cell.drop_files(&day, &[("long day.csv", csv.as_bytes())]).await.text();
    assert!(inbox.contains("pull 1 of 3") && inbox.contains("pull 3 of 3"), "{inbox}");
    let id = cell.store.inbox(1).await.unwrap()[0].id;
    let values: Vec<String> = (0..3).map(|n| format!("{id}::{n}")).collect();
    let mut form = vec![("map.0", "stock"), ("fuel.0", "unknown")];
    form.extend(values.iter().map(|v| ("pull.0", v.as_str())));
    cell.post(&format!("{day}/commit"), &form).await;
    loop {
        let r = cell.get("/runs/1").await.text();
        if !r.contains("hx-get") {
            assert!(r.contains("done"), "{r}");
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
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
        assert!(r.headers["content-security-policy"].to_str().unwrap().contains("default-src 'none'"), "{path}");
    }
    let r = cell
        .post("/days", &[("name", "x"), ("dyno", "hub"), ("date", "2026-03-03"), ("temperature", "20"), ("humidity", "50"), ("pressure", "29.6")])
        .await;
    assert_eq!(r.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(r.text().contains("inHg"));
    let foreign = Request::post("/demo").header("host", "127.0.0.1:1").header("origin", "http://elsewhere.example").body(Body::empty()).unwrap();
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
