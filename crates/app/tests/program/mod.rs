//! The real program, run as a person runs it.
#![allow(dead_code, clippy::unwrap_used)]

use rustix::process::{Pid, Signal, kill_process};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use tempfile::TempDir;

/// A data folder that ends with whatever still runs on it.
pub(crate) struct Folder(TempDir);

impl Folder {
    pub(crate) fn new(name: &str) -> Self {
        Self(TempDir::with_prefix(format!("ja-{name}-")).unwrap())
    }

    pub(crate) fn path(&self) -> &Path {
        self.0.path()
    }
}

impl Drop for Folder {
    fn drop(&mut self) {
        let _ = jamjar_store::private::stop(self.path());
    }
}

/// A running `jamjar serve`, killed when dropped.
pub(crate) struct Serving {
    pub(crate) child: Child,
    pub(crate) port: u16,
}

impl Serving {
    pub(crate) fn start(folder: &Folder, more: &[&str]) -> Self {
        let port = jamjar_store::private::free_port().unwrap();
        let mut child = Command::new(env!("CARGO_BIN_EXE_jamjar"))
            .args(["serve", "--port", &port.to_string(), "--data"])
            .arg(folder.path())
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

    /// The whole answer to a GET.
    pub(crate) fn get(&self, path: &str) -> std::io::Result<String> {
        self.ask("GET", path, "text/plain", b"")
    }

    /// The whole answer to a form.
    pub(crate) fn post(&self, path: &str, form: &str) -> std::io::Result<String> {
        self.ask("POST", path, "application/x-www-form-urlencoded", form.as_bytes())
    }

    /// The whole answer to an upload of files: names and what is in them.
    pub(crate) fn upload(&self, path: &str, files: &[(String, String)]) -> std::io::Result<String> {
        let mut body = String::new();
        for (name, text) in files {
            body += &format!(
                "--cut\r\nContent-Disposition: form-data; name=\"files\"; filename=\"{name}\"\r\n\r\n{text}\r\n"
            );
        }
        self.ask("POST", path, "multipart/form-data; boundary=cut", (body + "--cut--\r\n").as_bytes())
    }

    fn ask(&self, method: &str, path: &str, kind: &str, body: &[u8]) -> std::io::Result<String> {
        let mut c = TcpStream::connect(("127.0.0.1", self.port))?;
        c.set_read_timeout(Some(Duration::from_secs(20)))?;
        let (host, length) = (format!("127.0.0.1:{}", self.port), body.len());
        write!(
            c,
            "{method} {path} HTTP/1.1\r\nHost: {host}\r\nOrigin: http://{host}\r\nContent-Type: {kind}\r\nContent-Length: {length}\r\nConnection: close\r\n\r\n"
        )?;
        c.write_all(body)?;
        let mut text = String::new();
        c.read_to_string(&mut text)?;
        Ok(text)
    }

    /// Asks it to end and says how long that took.
    pub(crate) fn end(mut self) -> (Duration, Option<i32>) {
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

/// Runs a command on a folder; its code and what it said.
pub(crate) fn jamjar(args: &[&str], folder: &Folder) -> (Option<i32>, String) {
    let out = Command::new(env!("CARGO_BIN_EXE_jamjar"))
        .args(args)
        .arg("--data")
        .arg(folder.path())
        .output()
        .unwrap();
    (
        out.status.code(),
        format!("{}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr)),
    )
}
