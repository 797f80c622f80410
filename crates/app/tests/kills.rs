//! The plug is pulled at any moment: what is found afterwards is whole.
#![allow(clippy::unwrap_used)]

mod program;

use program::{Folder, Serving, jamjar};
use rustix::process::{Pid, Signal, kill_process};
use std::io::Read;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// Longest time anything is waited for.
const PATIENCE: Duration = Duration::from_secs(60);

/// How many kills, and the seed they are drawn from.
fn asked() -> (u64, u64) {
    let number = |name: &str| std::env::var(name).ok().and_then(|n| n.parse().ok());
    (number("JAMJAR_KILLS").unwrap_or(10), number("JAMJAR_SEED").unwrap_or(11))
}

/// Numbers that repeat for a seed.
fn random(seed: &mut u64) -> u64 {
    *seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
    *seed >> 33
}

#[test]
fn kills_at_any_moment_of_start_and_demo_load_leave_no_half_state() {
    let (kills, mut seed) = asked();
    let mut folder = Folder::new("kills-0");
    for k in 0..kills {
        // A fresh folder now and then, so that the first start is killed too; half of the kills take the
        // database with them.
        if k > 0 && k % 7 == 0 {
            folder = Folder::new(&format!("kills-{k}"));
        }
        let port = jamjar_store::private::free_port().unwrap().to_string();
        let mut child = Command::new(env!("CARGO_BIN_EXE_jamjar"))
            .args(["serve", "--demo", "--port", &port, "--data"])
            .arg(folder.path())
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        std::thread::sleep(Duration::from_millis(random(&mut seed) % 4000));
        let early = child.try_wait().unwrap();
        child.kill().unwrap();
        let mut said = String::new();
        child.stderr.take().unwrap().read_to_string(&mut said).unwrap();
        child.wait().unwrap();
        assert!(early.is_none(), "start {k} was refused: {said}");
        kill_database_now_and_then(&folder, &mut seed);
    }
    let (code, said) = jamjar(&["verify"], &folder);
    assert_eq!(code, Some(0), "after the kills everything agrees: {said}");
    let (code, said) = jamjar(&["demo", "load"], &folder);
    assert_eq!(code, Some(0), "the demo is taken up again: {said}");
    let (_, whole) = jamjar(&["verify", "--json"], &folder);
    let fresh = Folder::new("kills-fresh");
    assert_eq!(jamjar(&["demo", "load"], &fresh).0, Some(0));
    let (_, want) = jamjar(&["verify", "--json"], &fresh);
    let counts = |s: &str| {
        serde_json::from_str::<serde_json::Value>(s.trim())
            .map(|v| (v["days"].clone(), v["pulls"].clone(), v["problems"].clone()))
            .unwrap()
    };
    assert_eq!(counts(&whole), counts(&want), "as whole as a demo that nobody killed");
}

fn kill_database_now_and_then(folder: &Folder, seed: &mut u64) {
    if random(seed).is_multiple_of(2)
        && let Some((pid, _)) = jamjar_store::private::running(folder.path())
    {
        let _ = kill_process(Pid::from_raw(pid).unwrap(), Signal::KILL);
    }
}

/// A recording of a hub dyno with one pull; no two have the same bytes.
fn recording(number: u64) -> String {
    let mut text = String::from("time (s),hub speed (rpm),hub torque (N·m)\n");
    for i in 0..900 {
        let t = f64::from(i) / 50.0;
        let up = (t - 4.0).clamp(0.0, 8.0) / 8.0;
        let load = if (4.0..12.0).contains(&t) { 180.0 + 60.0 * (1.0 - up * up) } else { 6.0 };
        text +=
            &format!("{t:.2},{:.1},{:.3}\n", 2000.0 + 4500.0 * up, load + (number % 1000) as f64 / 1000.0);
    }
    text + &format!("# {number}\n")
}

/// What a calibrator does on a day, over and over until somebody pulls the plug: drops two files, stores them
/// as one set, corrects the air, leaves a pull out. The answer of the last storing, when it got that far.
fn work(serving: &Serving, day: &str, number: &mut u64) -> std::io::Result<String> {
    *number += 2;
    let files: Vec<(String, String)> =
        (*number..*number + 2).map(|n| (format!("p{n}.csv"), recording(n))).collect();
    serving.upload(&format!("{day}/files"), &files)?;
    let inbox = serving.get(&format!("{day}/inbox"))?;
    let pulls: Vec<&str> =
        inbox.split("name=\"pull.0\" value=\"").skip(1).filter_map(|p| p.split('"').next()).collect();
    // What an earlier life left in the inbox is thrown away: a set is of two pulls here.
    if pulls.len() != 2 {
        serving.post(&format!("{day}/inbox/clear"), "")?;
        return Ok(String::new());
    }
    let form = format!("map.0=C3&fuel.0=E85&build.0=A&pull.0={}&pull.0={}", pulls[0], pulls[1]);
    let run = serving.post(&format!("{day}/commit"), &form)?;
    let at = run
        .split("/runs/")
        .nth(1)
        .and_then(|r| r.split(|c: char| !c.is_ascii_digit()).next())
        .unwrap_or_default()
        .to_owned();
    let air =
        format!("at=10%3A{:02}&temperature={}&humidity=50&pressure=1002", *number % 60, 18 + *number % 9);
    serving.post(&format!("{day}/air"), &air)?;
    let mut said = run;
    let begun = Instant::now();
    while said.contains("cancel") {
        assert!(begun.elapsed() < PATIENCE, "still storing after a minute: {said}");
        said = serving.get(&format!("/runs/{at}"))?;
    }
    serving.post("/pulls/1/exclude", "reason=plug+pulled")?;
    Ok(said)
}

#[test]
fn kills_while_files_are_dropped_stored_and_their_air_is_corrected_leave_no_half_state() {
    let (kills, mut seed) = asked();
    let folder = Folder::new("kills-work");
    let (mut number, mut stored) = (0, 0);
    let mut day = String::new();
    for k in 0..=kills {
        let mut serving = Serving::start(&folder, &[]);
        if day.is_empty() {
            let made = serving.post("/days", "vehicle_id=&name=Saloon&dyno=hub&date=2026-11-26&temperature=20&humidity=50&pressure=1000").unwrap();
            day = made.split("location: ").nth(1).unwrap().lines().next().unwrap().trim().to_owned();
        }
        let until = Instant::now() + Duration::from_millis(random(&mut seed) % 1500);
        let pid = Pid::from_raw(serving.child.id() as i32).unwrap();
        let last = k == kills;
        let plug = std::thread::spawn(move || {
            std::thread::sleep(until.saturating_duration_since(Instant::now()));
            if !last {
                kill_process(pid, Signal::KILL).unwrap();
            }
        });
        let begun = Instant::now();
        loop {
            assert!(begun.elapsed() < PATIENCE, "neither killed nor done after a minute");
            match work(&serving, &day, &mut number) {
                Ok(said) if said.contains("stored") => {
                    stored += 1;
                    if last {
                        break;
                    }
                }
                Ok(said) => assert!(!said.contains("HTTP/1.1 5"), "{said}"),
                Err(e) => {
                    assert!(!last, "{e}");
                    break;
                }
            }
        }
        plug.join().unwrap();
        if last {
            assert_eq!(serving.end().1, Some(0));
            break;
        }
        serving.child.wait().unwrap();
        kill_database_now_and_then(&folder, &mut seed);
    }
    let (code, said) = jamjar(&["verify", "--json"], &folder);
    assert_eq!(code, Some(0), "after the kills everything agrees: {said}");
    let v: serde_json::Value = serde_json::from_str(said.trim()).unwrap();
    let pulls = v["pulls"].as_u64().unwrap();
    assert!(pulls.is_multiple_of(2), "two pulls are stored together or not at all: {pulls}");
    assert!(
        pulls >= 2 * stored && stored > 0,
        "what was said to be stored is there: {pulls} of {stored} sets"
    );
}
