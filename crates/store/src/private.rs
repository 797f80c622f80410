//! A private MariaDB server: own data folder, own socket, loopback only; never touches a system server.

use rustix::process::{Pid, Signal, kill_process, test_kill_process};
use std::fs;
use std::io::{self, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::os::unix::fs::{OpenOptionsExt, PermissionsExt};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use thiserror::Error;

const WAIT: Duration = Duration::from_secs(60);
/// A server that is asked to end is given this long before its owner goes: it goes on ending by itself.
const ENDS_IN: Duration = Duration::from_secs(3);
const POOL: &str = "128M";
/// Marks a server that a person wants kept running.
const KEEP: &str = "db.keep";

/// Why the private server is not there, each a sentence with what to do.
#[derive(Debug, Error)]
#[allow(missing_docs)]
pub enum PrivateError {
    #[error("{program} was not found: install the package mariadb-server (./start does it)")]
    Missing { program: &'static str },
    #[error("{}: no permission to write there; choose another folder with --data", folder.display())]
    Permission { folder: PathBuf },
    #[error("{}: the disk is full; free some space or choose another folder with --data", folder.display())]
    NoSpace { folder: PathBuf },
    #[error("port {port} is in use by another program; choose another with --db-port")]
    PortInUse { port: u16 },
    #[error("the database did not start; the last lines of {} say:\n{tail}", log.display())]
    Failed { log: PathBuf, tail: String },
    #[error("{}: another Jamjar uses this folder ({holder}). End it first, choose another folder with --data, or join it with --join", folder.display())]
    Held { folder: PathBuf, holder: String },
    #[error("{}: no Jamjar runs on this folder, so there is nothing to join", folder.display())]
    NothingToJoin { folder: PathBuf },
    #[error("{what}: {source}")]
    Io { what: String, source: io::Error },
}

/// Ports tried where any will do.
const TRIES: u32 = 5;

/// The right to a data folder: one process owns it, for as long as this lives. The kernel gives it back when
/// the process dies.
#[derive(Debug)]
pub struct Owner {
    _lock: fs::File,
}

const LOCK: &str = "jamjar.lock";

impl Owner {
    /// Takes a folder, making it when it is new; readable by its owner only.
    ///
    /// # Errors
    /// [`PrivateError::Held`] naming the process that has it.
    pub fn take(folder: &Path) -> Result<Self, PrivateError> {
        let io = |what: &str| {
            let what = what.to_owned();
            move |e| explain(folder, what, e)
        };
        fs::create_dir_all(folder).map_err(io("the data folder cannot be made"))?;
        fs::set_permissions(folder, fs::Permissions::from_mode(0o700))
            .map_err(io("the data folder cannot be made private"))?;
        let path = folder.join(LOCK);
        let mut file = fs::OpenOptions::new()
            .read(true)
            .write(true)
            .create(true)
            .truncate(false)
            .mode(0o600)
            .open(&path)
            .map_err(io("the lock cannot be opened"))?;
        if rustix::fs::flock(&file, rustix::fs::FlockOperation::NonBlockingLockExclusive).is_err() {
            let mut holder = String::new();
            let _ = file.read_to_string(&mut holder);
            let holder = holder
                .lines()
                .next()
                .filter(|l| !l.is_empty())
                .unwrap_or("a process that is just starting")
                .to_owned();
            return Err(PrivateError::Held { folder: folder.to_owned(), holder });
        }
        file.set_len(0)
            .and_then(|()| writeln!(file, "process {}", std::process::id()))
            .map_err(io("the lock cannot be written"))?;
        Ok(Self { _lock: file })
    }
}

/// A running server. Dropping it stops the server when this process started it.
#[derive(Debug)]
pub struct PrivateDb {
    folder: PathBuf,
    port: u16,
    password: String,
    child: Option<Child>,
    /// True when this process may end a server that nobody else looks after.
    looks_after: bool,
}

fn program(name: &'static str) -> Result<PathBuf, PrivateError> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path)
        .chain(["/usr/sbin", "/usr/bin", "/usr/local/sbin"].map(PathBuf::from))
        .map(|d| d.join(name))
        .find(|p| p.is_file())
        .ok_or(PrivateError::Missing { program: name })
}

fn explain(folder: &Path, what: String, source: io::Error) -> PrivateError {
    match source.kind() {
        io::ErrorKind::PermissionDenied => PrivateError::Permission { folder: folder.to_owned() },
        io::ErrorKind::StorageFull => PrivateError::NoSpace { folder: folder.to_owned() },
        _ => PrivateError::Io { what, source },
    }
}

/// A port nobody listens on just now.
///
/// # Errors
/// When the loopback interface gives none.
pub fn free_port() -> io::Result<u16> {
    Ok(TcpListener::bind(("127.0.0.1", 0))?.local_addr()?.port())
}

impl PrivateDb {
    /// Starts the server of a data folder, or finds it running. `port` 0 takes the folder's last port, else a
    /// free one.
    ///
    /// # Errors
    /// [`PrivateError`] in words a person can act on.
    pub fn start(folder: &Path, port: u16) -> Result<Self, PrivateError> {
        let io = |what: &str| {
            let what = what.to_owned();
            let folder = folder.to_owned();
            move |e| explain(&folder, what, e)
        };
        fs::create_dir_all(folder).map_err(io("the data folder cannot be made"))?;
        let folder = folder.canonicalize().map_err(io("the data folder cannot be read"))?;
        fs::set_permissions(&folder, fs::Permissions::from_mode(0o700))
            .map_err(io("the data folder cannot be made private"))?;
        fs::create_dir_all(folder.join("tmp"))
            .map_err(io("the folder for temporary files cannot be made"))?;
        let password = secret(&folder)?;
        if let Some(port) = adopted(&folder) {
            return Ok(Self { folder, port, password, child: None, looks_after: true });
        }
        install(&folder)?;
        let mut tries = 0;
        loop {
            let remembered = fs::read_to_string(folder.join("db.port"))
                .ok()
                .and_then(|s| s.trim().parse().ok())
                .filter(|p| is_free(*p));
            let chosen = match (port, remembered) {
                (0, Some(p)) => p,
                (0, None) => free_port().map_err(io("no free port"))?,
                (p, _) if !is_free(p) => return Err(PrivateError::PortInUse { port: p }),
                (p, _) => p,
            };
            write_whole(&folder.join("db.port"), &chosen.to_string())
                .map_err(io("db.port cannot be written"))?;
            let (folder, password) = (folder.clone(), password.clone());
            let mut out = Self { folder, port: chosen, password, child: None, looks_after: true };
            match out.spawn() {
                // Another program took it meanwhile; where none was asked for, the next one does as well.
                Err(PrivateError::PortInUse { .. }) if port == 0 && tries < TRIES => tries += 1,
                done => return done.map(|()| out),
            }
        }
    }

    /// The server of a folder that another Jamjar looks after: it is neither started nor stopped.
    ///
    /// # Errors
    /// [`PrivateError::NothingToJoin`] when none runs.
    pub fn join(folder: &Path) -> Result<Self, PrivateError> {
        let nothing = || PrivateError::NothingToJoin { folder: folder.to_owned() };
        let port = adopted(folder).ok_or_else(nothing)?;
        let folder = folder.canonicalize().map_err(|_| nothing())?;
        let password = secret(&folder)?;
        Ok(Self { folder, port, password, child: None, looks_after: false })
    }

    /// Starts the server process on the folder's port and waits until it answers.
    fn spawn(&mut self) -> Result<(), PrivateError> {
        let folder = self.folder.clone();
        let io = |what: &str| {
            let (what, folder) = (what.to_owned(), folder.clone());
            move |e| explain(&folder, what, e)
        };
        let init = folder.join("init.sql");
        let password = &self.password;
        let rights =
            "SELECT, INSERT, UPDATE, DELETE, CREATE, ALTER, DROP, INDEX, REFERENCES, TRIGGER, CREATE VIEW";
        let account = format!(
            "CREATE DATABASE IF NOT EXISTS jamjar CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;\nCREATE USER IF NOT EXISTS 'jamjar'@'127.0.0.1' IDENTIFIED BY '{password}';\n\
             ALTER USER 'jamjar'@'127.0.0.1' IDENTIFIED BY '{password}';\nREVOKE ALL PRIVILEGES, GRANT OPTION FROM 'jamjar'@'127.0.0.1';\n\
             GRANT {rights} ON `jamjar%`.* TO 'jamjar'@'127.0.0.1';\n"
        );
        private_file(&init, &account).map_err(io("init.sql cannot be written"))?;
        let log = folder.join("db.log");
        let _ = fs::remove_file(&log);
        let child = Command::new(program("mariadbd")?)
            .arg("--no-defaults")
            .args(as_root())
            .arg(format!("--datadir={}", folder.join("db").display()))
            .arg(format!("--socket={}", socket(&folder).display()))
            .arg(format!("--pid-file={}", folder.join("db.pid").display()))
            .arg(format!("--tmpdir={}", folder.join("tmp").display()))
            .arg(format!("--log-error={}", log.display()))
            .arg(format!("--init-file={}", init.display()))
            .arg(format!("--port={}", self.port))
            .args([
                "--bind-address=127.0.0.1",
                "--skip-name-resolve",
                "--skip-log-bin",
                "--local-infile=0",
                "--character-set-server=utf8mb4",
                "--collation-server=utf8mb4_unicode_ci",
            ])
            .args([
                "--max-allowed-packet=64M",
                "--sql-mode=STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION",
                "--default-time-zone=+00:00",
            ])
            .arg(format!("--innodb-buffer-pool-size={POOL}"))
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .process_group(0)
            .spawn()
            .map_err(io("the database cannot be started"))?;
        self.child = Some(child);
        self.wait_until_ready(&log)
    }

    /// Starts the server again when it has died; true when it had. For whoever looks after it, every now and
    /// then.
    ///
    /// # Errors
    /// [`PrivateError`] when it does not come back.
    pub fn revive(&mut self) -> Result<bool, PrivateError> {
        let alive = match &mut self.child {
            Some(child) => child.try_wait().ok().flatten().is_none(),
            None => running(&self.folder).is_some(),
        };
        if alive || !self.looks_after {
            return Ok(false);
        }
        self.child = None;
        self.spawn()?;
        Ok(true)
    }

    fn wait_until_ready(&mut self, log: &Path) -> Result<(), PrivateError> {
        let start = Instant::now();
        loop {
            // It opens its door a moment before it writes down who it is; whoever joins or ends it goes by
            // what is written.
            if TcpStream::connect(("127.0.0.1", self.port)).is_ok() && running(&self.folder).is_some() {
                return Ok(());
            }
            let ended = self.child.as_mut().is_some_and(|c| c.try_wait().ok().flatten().is_some());
            if ended || start.elapsed() > WAIT {
                let mut text = String::new();
                let _ = fs::File::open(log).and_then(|mut f| f.read_to_string(&mut text));
                return Err(diagnose(&text, &self.folder, self.port, log));
            }
            std::thread::sleep(Duration::from_millis(25));
        }
    }

    /// Connection string for a database of this server.
    pub fn url(&self, database: &str) -> String {
        format!("mysql://jamjar:{}@127.0.0.1:{}/{database}", self.password, self.port)
    }

    /// Port it listens on.
    pub fn port(&self) -> u16 {
        self.port
    }

    /// Whether this process started it.
    pub fn is_ours(&self) -> bool {
        self.child.is_some()
    }

    /// Lets the server outlive this process, and the ones after it, until [`stop`].
    ///
    /// # Errors
    /// When the mark that says so cannot be written.
    pub fn detach(mut self) -> io::Result<()> {
        fs::write(self.folder.join(KEEP), "")?;
        self.child = None;
        Ok(())
    }

    /// Ends the server at the end of a program's work, unless a person asked for it to be kept running or
    /// another process looks after it. It is waited for a moment only: what it still has to do it does by
    /// itself.
    pub fn release(&mut self) {
        if !self.looks_after || self.folder.join(KEEP).exists() {
            self.child = None;
            return;
        }
        let pid = self
            .child
            .as_ref()
            .map(|c| c.id() as i32)
            .or_else(|| running(&self.folder).map(|r| r.0))
            .and_then(Pid::from_raw);
        let Some(pid) = pid else { return };
        let _ = kill_process(pid, Signal::TERM);
        let start = Instant::now();
        while start.elapsed() < ENDS_IN {
            let gone = match &mut self.child {
                Some(c) => c.try_wait().ok().flatten().is_some(),
                None => test_kill_process(pid).is_err(),
            };
            if gone {
                break;
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        self.child = None;
    }

    /// Kills the server at once, as a power cut would; for tests of recovery.
    ///
    /// # Errors
    /// When it was not started here.
    pub fn kill(&mut self) -> io::Result<()> {
        let mut child = self.child.take().ok_or_else(|| io::Error::other("not started here"))?;
        child.kill()?;
        child.wait()?;
        Ok(())
    }

    /// Stops the server cleanly when this process started it.
    pub fn stop(&mut self) {
        if let Some(mut child) = self.child.take() {
            if let Some(pid) = Pid::from_raw(child.id() as i32) {
                let _ = kill_process(pid, Signal::TERM);
            }
            let _ = child.wait();
        }
    }
}

impl Drop for PrivateDb {
    fn drop(&mut self) {
        self.stop();
    }
}

fn is_free(port: u16) -> bool {
    TcpListener::bind(("127.0.0.1", port)).is_ok()
}

fn as_root() -> Option<&'static str> {
    rustix::process::geteuid().is_root().then_some("--user=root")
}

/// A socket path short enough for the kernel (108 bytes).
fn socket(folder: &Path) -> PathBuf {
    let near = folder.join("db.sock");
    if near.as_os_str().len() < 100 {
        near
    } else {
        std::env::temp_dir().join(format!("jamjar-{}.sock", std::process::id()))
    }
}

fn private_file(path: &Path, text: &str) -> io::Result<()> {
    let mut f = fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(path)?;
    f.set_permissions(fs::Permissions::from_mode(0o600))?;
    f.write_all(text.as_bytes())
}

/// Writes a file whole or not at all.
fn write_whole(path: &Path, text: &str) -> io::Result<()> {
    let near =
        path.with_file_name(format!("{}.part", path.file_name().unwrap_or_default().to_string_lossy()));
    private_file(&near, text)?;
    fs::rename(near, path)
}

/// The account's password, made once from the kernel's random source.
fn secret(folder: &Path) -> Result<String, PrivateError> {
    let path = folder.join("db.secret");
    if let Ok(s) = fs::read_to_string(&path)
        && s.trim().len() == 48
    {
        return Ok(s.trim().to_owned());
    }
    let mut bytes = [0u8; 24];
    fs::File::open("/dev/urandom")
        .and_then(|mut f| f.read_exact(&mut bytes))
        .map_err(|e| explain(folder, "no random source".into(), e))?;
    let text = crate::files::hex(&bytes);
    write_whole(&path, &text).map_err(|e| explain(folder, "the secret cannot be written".into(), e))?;
    Ok(text)
}

/// Makes the server's files in a folder beside, which takes its name only when it is whole: a start that was
/// killed leaves nothing that the next one could take for a database.
fn install(folder: &Path) -> Result<(), PrivateError> {
    let io = |what: &str| {
        let what = what.to_owned();
        move |e| explain(folder, what, e)
    };
    let place = folder.join("db");
    if place.join("mysql").is_dir() {
        return Ok(());
    }
    if place.exists() {
        // Not one of ours that is whole: kept aside, for whoever knows what it is.
        let aside = (1..)
            .map(|i| folder.join(format!("db.broken-{i}")))
            .find(|p| !p.exists())
            .unwrap_or_else(|| folder.join("db.broken"));
        fs::rename(&place, aside).map_err(io("a half-made database cannot be put aside"))?;
    }
    // A name of its own: the installer of a start that was killed may still be writing into the one before.
    for old in fs::read_dir(folder)
        .into_iter()
        .flatten()
        .flatten()
        .filter(|e| e.file_name().to_string_lossy().starts_with("db.new"))
    {
        let _ = fs::remove_dir_all(old.path());
    }
    let near = folder.join(format!(
        "db.new-{}-{:x}",
        std::process::id(),
        std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_nanos())
    ));
    let out = Command::new(program("mariadb-install-db")?)
        .arg("--no-defaults")
        .args(as_root())
        .arg(format!("--datadir={}", near.display()))
        .arg(format!("--tmpdir={}", folder.join("tmp").display()))
        .args(["--auth-root-authentication-method=socket", "--skip-test-db"])
        .stdin(Stdio::null())
        .output()
        .map_err(|e| explain(folder, "mariadb-install-db cannot be started".into(), e))?;
    if out.status.success() {
        return fs::rename(&near, &place).map_err(io("the new database cannot be put in its place"));
    }
    let text = String::from_utf8_lossy(&out.stderr).into_owned() + &String::from_utf8_lossy(&out.stdout);
    let _ = fs::remove_dir_all(&near);
    Err(diagnose(&text, folder, 0, Path::new("mariadb-install-db")))
}

/// Port of a running server that answers. One that is about to end is waited for until it is gone.
fn adopted(folder: &Path) -> Option<u16> {
    let start = Instant::now();
    while let Some((_, port)) = running(folder) {
        if TcpStream::connect(("127.0.0.1", port)).is_ok() {
            // A server that ends closes its door first; one that answers and is still there a moment later is
            // alive.
            std::thread::sleep(Duration::from_millis(150));
            if running(folder).is_some() && TcpStream::connect(("127.0.0.1", port)).is_ok() {
                return Some(port);
            }
        }
        if start.elapsed() > WAIT {
            return None;
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    None
}

fn diagnose(text: &str, folder: &Path, port: u16, log: &Path) -> PrivateError {
    let low = text.to_lowercase();
    if low.contains("no space left") || low.contains("errcode: 28") || low.contains("error 28") {
        PrivateError::NoSpace { folder: folder.to_owned() }
    } else if low.contains("address already in use") || low.contains("bind on tcp/ip port") {
        PrivateError::PortInUse { port }
    } else if low.contains("permission denied") || low.contains("errcode: 13") {
        PrivateError::Permission { folder: folder.to_owned() }
    } else {
        let lines: Vec<&str> = text.lines().collect();
        PrivateError::Failed { log: log.to_owned(), tail: lines[lines.len().saturating_sub(6)..].join("\n") }
    }
}

/// Pid and port of the server of a folder, when it runs.
pub fn running(folder: &Path) -> Option<(i32, u16)> {
    let pid: i32 = fs::read_to_string(folder.join("db.pid")).ok()?.trim().parse().ok()?;
    test_kill_process(Pid::from_raw(pid)?).ok()?;
    let command = fs::read(format!("/proc/{pid}/cmdline")).ok()?;
    let folder = folder.canonicalize().ok()?;
    String::from_utf8_lossy(&command)
        .contains(&format!("--datadir={}", folder.join("db").display()))
        .then_some(())?;
    Some((pid, fs::read_to_string(folder.join("db.port")).ok()?.trim().parse().ok()?))
}

/// Stops the server of a folder and waits; false when none ran.
///
/// # Errors
/// When it does not end within a minute.
pub fn stop(folder: &Path) -> io::Result<bool> {
    let _ = fs::remove_file(folder.join(KEEP));
    let Some((pid, _)) = running(folder) else { return Ok(false) };
    let Some(pid) = Pid::from_raw(pid) else { return Ok(false) };
    kill_process(pid, Signal::TERM)?;
    let start = Instant::now();
    while running(folder).is_some() {
        if start.elapsed() > WAIT {
            return Err(io::Error::other("the database did not stop within a minute"));
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    Ok(true)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_trouble_has_its_sentence() {
        let d = |t: &str| diagnose(t, Path::new("/data"), 3316, Path::new("db.log")).to_string();
        assert!(
            d("Can't start server: Bind on TCP/IP port. Got error: 98: Address already in use")
                .starts_with("port 3316 is in use")
        );
        assert!(d("InnoDB: write failed (Errcode: 28 \"No space left on device\")").contains("disk is full"));
        assert!(d("Can't create test file (Errcode: 13 \"Permission denied\")").contains("no permission"));
        assert!(d("something\nelse").contains("something\nelse"));
    }

    #[test]
    fn a_folder_without_a_server_has_none_running() {
        assert!(running(Path::new("/nonexistent")).is_none());
        assert!(!stop(Path::new("/nonexistent")).unwrap());
    }
}
