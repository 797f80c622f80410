//! Starts and ends of the real program: one owner of a folder, ends in bounded time, clients that stall.
#![allow(clippy::unwrap_used)]

mod program;

use program::{Folder, Serving, jamjar};
use rustix::process::{Pid, Signal, kill_process};
use std::io::Write;
use std::net::TcpStream;
use std::time::Duration;

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
    assert!(
        serving.get("/health").unwrap().contains("200 OK"),
        "a user is not locked out by 1,100 connections"
    );
    let (took, code) = serving.end();
    assert!(took < Duration::from_secs(5), "ended in {took:?}");
    assert_eq!(code, Some(0));
}

#[test]
fn a_database_that_dies_under_the_program_comes_back() {
    let folder = Folder::new("dies");
    let serving = Serving::start(&folder, &[]);
    for _ in 0..2 {
        let (pid, _) = jamjar_store::private::running(folder.path()).unwrap();
        kill_process(Pid::from_raw(pid).unwrap(), Signal::KILL).unwrap();
        std::thread::sleep(Duration::from_millis(100));
        assert!(serving.get("/health").unwrap().contains("200 OK"), "the request waited for it");
    }
}
