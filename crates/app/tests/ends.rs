//! Starts and ends of the real program: one owner of a folder, ends in bounded time, kills at any moment, clients that stall.
#![allow(clippy::unwrap_used)]

use rustix::process::{Pid, Signal, kill_process};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// A data folder that ends with whatever still runs on it.
struct Folder(PathBuf);

impl Folder {
    fn new(name: &str) -> Self {
        let p = std::env::temp_dir().join(format!("ja-{name}-{}", std::process::id()));
        let _ = std::fs::remove_dir_all(&p);
        Self(p)
    }
}

impl Drop for Folder {
    fn drop(&mut self) {
        let _ = jamjar_store::private::stop(&self.0);
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

/// A running `jamjar serve`, killed when dropped.
struct Serving {
    child: Child,
    port: u16,
}

impl Serving {
    fn start(folder: &Folder, more: &[&str]) -> Self {
        let port = jamjar_store::private::free_port().unwrap();
        let mut child = Command::new(env!("CARGO_BIN_EXE_jamjar"))
            .args(["serve", "--port", &port.to_string(), "--data"])
            .arg(&folder.0)
            .args(more)
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let out = BufReader::new(child.stdout.take().unwrap());
        let ready = out.lines().map_while(Result::ok).any(|l| l.contains("Ctrl-C ends it"));
        assert!(ready, "it says when it serves");
        Self { child, port }
    }

    fn get(&self, path: &str) -> std::io::Result<String> {
        let mut c = TcpStream::connect(("127.0.0.1", self.port))?;
        c.set_read_timeout(Some(Duration::from_secs(20)))?;
        write!(c, "GET {path} HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nConnection: close\r\n\r\n", self.port)?;
        let mut text = String::new();
        c.read_to_string(&mut text)?;
        Ok(text)
    }

    /// Asks it to end and says how long that took.
    fn end(mut self) -> (Duration, Option<i32>) {
        let start = Instant::now();
        kill_process(Pid::from_raw(self.child.id() as i32).unwrap(), Signal::TERM).unwrap();
        let status = self.child.wait().unwrap();
        (start.elapsed(), status.code())
    }
}

impl Drop for Serving {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn jamjar(args: &[&str], folder: &Folder) -> (Option<i32>, String) {
    let out = Command::new(env!("CARGO_BIN_EXE_jamjar")).args(args).arg("--data").arg(&folder.0).output().unwrap();
    (out.status.code(), format!("{}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr)))
}

#[test]
fn one_owner_of_a_folder_others_join_and_nobody_stops_what_is_not_his() {
    let folder = Folder::new("owner");
    let first = Serving::start(&folder, &[]);
    let port = jamjar_store::private::free_port().unwrap().to_string();
    let (code, said) = jamjar(&["serve", "--port", &port], &folder);
    assert_eq!(code, Some(2), "{said}");
    assert!(said.contains(&format!("process {}", first.child.id())) && said.contains("--join"), "{said}");
    assert!(first.get("/health").unwrap().contains("200 OK"), "the first goes on");
    let joined = Serving::start(&folder, &["--join"]);
    assert!(joined.get("/health").unwrap().contains("200 OK"));
    assert_eq!(jamjar(&["verify"], &folder).0, Some(0), "a command is one more client");
    let (took, code) = joined.end();
    assert!(took < Duration::from_secs(5) && code == Some(0), "{took:?} {code:?}");
    assert!(first.get("/health").unwrap().contains("200 OK"), "who joined stopped nothing");
    let (code, said) = jamjar(&["db", "down"], &folder);
    assert_eq!(code, Some(2), "{said}");
    let (took, code) = first.end();
    assert!(took < Duration::from_secs(5) && code == Some(0), "{took:?} {code:?}");
    let beyond = jamjar(&["serve", "--port", &port, "--listen", "0.0.0.0"], &folder);
    assert!(beyond.0 == Some(2) && beyond.1.contains("nobody can sign in yet"), "{}", beyond.1);
}

#[test]
fn clients_that_stall_hold_up_neither_others_nor_the_end() {
    use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
    let most = getrlimit(Resource::Nofile).maximum;
    setrlimit(Resource::Nofile, Rlimit { current: most, maximum: most }).unwrap();
    let folder = Folder::new("stall");
    let serving = Serving::start(&folder, &[]);
    let mut idle = Vec::new();
    for i in 0..1100 {
        let mut c = TcpStream::connect(("127.0.0.1", serving.port)).unwrap();
        match i % 3 {
            0 => {}
            1 => c.write_all(b"GET / HTT").unwrap(),
            _ => write!(c, "POST /days HTTP/1.1\r\nHost: 127.0.0.1:{0}\r\nOrigin: http://127.0.0.1:{0}\r\nContent-Length: 900\r\nContent-Type: application/x-www-form-urlencoded\r\n\r\nname=", serving.port).unwrap(),
        }
        idle.push(c);
    }
    assert!(serving.get("/health").unwrap().contains("200 OK"), "a user is not locked out by 1,100 connections");
    let (took, code) = serving.end();
    assert!(took < Duration::from_secs(5), "ended in {took:?}");
    assert_eq!(code, Some(0));
}

#[test]
fn a_database_that_dies_under_the_program_comes_back() {
    let folder = Folder::new("dies");
    let serving = Serving::start(&folder, &[]);
    for _ in 0..2 {
        let (pid, _) = jamjar_store::private::running(&folder.0).unwrap();
        kill_process(Pid::from_raw(pid).unwrap(), Signal::KILL).unwrap();
        std::thread::sleep(Duration::from_millis(100));
        assert!(serving.get("/health").unwrap().contains("200 OK"), "the request waited for it");
    }
}

/// Numbers that repeat for a seed.
fn random(seed: &mut u64) -> u64 {
    *seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
    *seed >> 33
}

#[test]
fn kills_at_any_moment_of_start_and_demo_load_leave_no_half_state() {
    let kills: u64 = std::env::var("JAMJAR_KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(20);
    let mut seed = std::env::var("JAMJAR_SEED").ok().and_then(|n| n.parse().ok()).unwrap_or(11);
    let mut folder = Folder::new("kills-0");
    for k in 0..kills {
        // A fresh folder now and then, so that the first start is killed too; half of the kills take the database with them.
        if k > 0 && k % 7 == 0 {
            folder = Folder::new(&format!("kills-{k}"));
        }
        let port = jamjar_store::private::free_port().unwrap().to_string();
        let mut child = Command::new(env!("CARGO_BIN_EXE_jamjar"))
            .args(["serve", "--demo", "--port", &port, "--data"])
            .arg(&folder.0)
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
        if random(&mut seed) % 2 == 0
            && let Some((pid, _)) = jamjar_store::private::running(&folder.0)
        {
            let _ = kill_process(Pid::from_raw(pid).unwrap(), Signal::KILL);
        }
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
        serde_json::from_str::<serde_json::Value>(s.trim()).map(|v| (v["days"].clone(), v["pulls"].clone(), v["problems"].clone())).unwrap()
    };
    assert_eq!(counts(&whole), counts(&want), "as whole as a demo that nobody killed");
}
