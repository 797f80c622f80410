//! Three nodes of a cluster on the loopback: conflicts at commit, a node that is killed and comes back,
//! nothing lost, nothing stale.
#![allow(clippy::unwrap_used)]

mod shop;

use jamjar_store::private::free_port;
use jamjar_store::{Stamps, Store, StoreError, Thing};
use shop::{day, note};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use tempfile::TempDir;

const PROVIDER: &str = "/usr/lib/galera/libgalera_smm.so";

struct Node {
    folder: PathBuf,
    sql: u16,
    group: u16,
    incremental: u16,
    transfer: u16,
    child: Option<Child>,
}

/// The cluster; its servers end with it.
struct Cluster {
    root: TempDir,
    nodes: Vec<Node>,
}

fn is_root() -> bool {
    rustix::process::geteuid().is_root()
}

fn run(program: &str, args: &[&str]) {
    let out = Command::new(program)
        .args(args)
        .stdin(Stdio::null())
        .output()
        .unwrap_or_else(|e| panic!("{program}: {e}"));
    assert!(out.status.success(), "{program} {args:?}: {}", String::from_utf8_lossy(&out.stderr));
}

/// The state transfer runs as the server's user, which must not be root.
fn as_user() -> Vec<&'static str> {
    if is_root() { vec!["--user=mysql"] } else { Vec::new() }
}

impl Cluster {
    fn start() -> Self {
        assert!(Path::new(PROVIDER).exists(), "the package galera-4 is missing: ./test installs it");
        let kept = TempDir::with_prefix("jj-galera-").unwrap();
        let root = kept.path();
        let first = root.join("n0");
        let mut install = vec!["--no-defaults", "--auth-root-authentication-method=socket", "--skip-test-db"];
        let data = format!("--datadir={}", first.display());
        install.push(&data);
        install.extend(as_user());
        run("mariadb-install-db", &install);
        let mut nodes = Vec::new();
        for k in 0..3 {
            let folder = root.join(format!("n{k}"));
            if k > 0 {
                run("cp", &["-r", first.to_str().unwrap(), folder.to_str().unwrap()]);
            }
            let [sql, group, incremental, transfer] = [0; 4].map(|_| free_port().unwrap());
            nodes.push(Node { folder, sql, group, incremental, transfer, child: None });
        }
        if is_root() {
            run("chown", &["-R", "mysql:", root.to_str().unwrap()]);
        }
        let mut out = Self { root: kept, nodes };
        out.up(0, true);
        out.up(1, false);
        out.up(2, false);
        out
    }

    fn up(&mut self, k: usize, new: bool) {
        let all: Vec<String> = self.nodes.iter().map(|n| format!("127.0.0.1:{}", n.group)).collect();
        let init = self.root.path().join("init.sql");
        fs::write(
            &init,
            "CREATE DATABASE IF NOT EXISTS jamjar CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;\nCREATE USER IF NOT EXISTS 'jamjar'@'127.0.0.1' IDENTIFIED BY 'x';\nGRANT ALL ON `jamjar%`.* TO 'jamjar'@'127.0.0.1';\n",
        )
        .unwrap();
        let n = &self.nodes[k];
        let mut c = Command::new("/usr/sbin/mariadbd");
        c.arg("--no-defaults").args(as_user());
        c.arg(format!("--datadir={}", n.folder.display()));
        c.arg(format!("--socket={}", n.folder.join("s").display()));
        c.arg(format!("--pid-file={}", n.folder.join("pid").display()));
        c.arg(format!("--log-error={}", n.folder.join("log").display()));
        c.arg(format!("--port={}", n.sql)).arg("--bind-address=127.0.0.1").arg("--skip-name-resolve");
        c.args([
            "--character-set-server=utf8mb4",
            "--collation-server=utf8mb4_unicode_ci",
            "--max-allowed-packet=64M",
            "--innodb-buffer-pool-size=32M",
        ]);
        c.args([
            "--sql-mode=STRICT_ALL_TABLES",
            "--binlog-format=ROW",
            "--innodb-autoinc-lock-mode=2",
            "--innodb-flush-log-at-trx-commit=0",
            "--log-bin-trust-function-creators=1",
        ]);
        c.args([
            "--wsrep-on=ON",
            &format!("--wsrep-provider={PROVIDER}"),
            "--wsrep-cluster-name=jamjar",
            "--wsrep-sst-method=rsync",
        ]);
        c.arg(format!("--wsrep-cluster-address=gcomm://{}", all.join(",")));
        c.arg(format!("--wsrep-node-address=127.0.0.1:{}", n.group));
        c.arg(format!("--wsrep-sst-receive-address=127.0.0.1:{}", n.transfer));
        c.arg(format!(
            "--wsrep-provider-options=gmcast.listen_addr=tcp://127.0.0.1:{};ist.recv_addr=127.0.0.1:{};ist.recv_bind=127.0.0.1:{};gcache.size=64M;evs.keepalive_period=PT0.5S;evs.suspect_timeout=PT2S;evs.inactive_timeout=PT4S",
            n.group, n.incremental, n.incremental
        ));
        if new {
            c.arg("--wsrep-new-cluster").arg(format!("--init-file={}", init.display()));
        }
        let child = c
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(fs::File::create(self.root.path().join("stderr")).unwrap())
            .spawn()
            .unwrap();
        self.nodes[k].child = Some(child);
        self.wait_synced(k);
    }

    /// Asked through the socket-free client, as the node's own word.
    fn wait_synced(&mut self, k: usize) {
        let start = Instant::now();
        loop {
            let n = &mut self.nodes[k];
            let out = Command::new("mariadb")
                .args([
                    "--no-defaults",
                    "-h127.0.0.1",
                    &format!("-P{}", n.sql),
                    "-ujamjar",
                    "-px",
                    "-N",
                    "-e",
                    "SHOW STATUS LIKE 'wsrep_local_state_comment'",
                ])
                .output()
                .unwrap();
            if String::from_utf8_lossy(&out.stdout).contains("Synced") {
                return;
            }
            let root = self.root.path().to_owned();
            let log = || {
                fs::read_to_string(n.folder.join("log")).unwrap_or_default()
                    + &fs::read_to_string(root.join("stderr")).unwrap_or_default()
            };
            assert!(
                n.child.as_mut().unwrap().try_wait().unwrap().is_none(),
                "node {k} ended: {}",
                log().lines().rev().take(25).collect::<Vec<_>>().join("\n")
            );
            assert!(
                start.elapsed() < Duration::from_secs(60),
                "node {k} is not synced: {}",
                log().lines().rev().take(25).collect::<Vec<_>>().join("\n")
            );
            std::thread::sleep(Duration::from_millis(200));
        }
    }

    fn kill(&mut self, k: usize) {
        let mut child = self.nodes[k].child.take().unwrap();
        child.kill().unwrap();
        child.wait().unwrap();
    }

    fn store(&self, k: usize) -> Store {
        Store::new(&format!("mysql://jamjar:x@127.0.0.1:{}/jamjar", self.nodes[k].sql), 3).unwrap()
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        for n in &mut self.nodes {
            if let Some(mut c) = n.child.take() {
                let _ = c.kill();
                let _ = c.wait();
            }
        }
    }
}

type Acknowledged = Arc<Mutex<Vec<String>>>;

/// Longest time anything is waited for.
const PATIENCE: Duration = Duration::from_secs(60);
const LOOK: Duration = Duration::from_millis(50);

/// Waits for something to come true; fails when it does not.
async fn until(what: &str, mut holds: impl FnMut() -> bool) {
    let begun = Instant::now();
    while !holds() {
        assert!(begun.elapsed() < PATIENCE, "in a minute it did not come about that {what}");
        tokio::time::sleep(LOOK).await;
    }
}

/// Writes notes to one day through one node until told to stop; what was acknowledged is written down.
fn writer(
    store: Store,
    day_id: i64,
    name: String,
    stop: Arc<AtomicUsize>,
    done: Acknowledged,
) -> tokio::task::JoinHandle<usize> {
    tokio::spawn(async move {
        let mut refused = 0;
        for i in 0.. {
            if stop.load(Ordering::Relaxed) > 0 {
                break;
            }
            let text = format!("{name} {i}");
            match store.add_note(day_id, &note(None, "cluster", &text, "the apprentice")).await {
                Ok(()) => done.lock().unwrap().push(text),
                Err(StoreError::Unreachable(_) | StoreError::Unknown | StoreError::Conflict) => refused += 1,
                Err(e) => panic!("{name}: {e}"),
            }
        }
        refused
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn writers_on_three_nodes_lose_nothing_and_readers_see_nothing_stale() {
    let mut cluster = tokio::task::block_in_place(Cluster::start);
    let stores = [cluster.store(0), cluster.store(1), cluster.store(2)];
    stores[0].migrate().await.unwrap();
    assert_eq!(stores[2].migrate().await.unwrap(), 0, "one migration serves all nodes");
    let day_id = day(&stores[0]).await;
    assert_eq!(stores[1].day(day_id).await.unwrap().note, "windy", "what one node wrote is read on another");

    // A reader on each node hears of every change made on any other, at once.
    let mut stamps = [Stamps::default(), Stamps::default(), Stamps::default()];
    for (s, stamp) in stores.iter().zip(&mut stamps) {
        s.changes(stamp).await.unwrap();
    }
    for k in 0..3 {
        stores[k].add_note(day_id, &note(None, "", &format!("from {k}"), "the calibrator")).await.unwrap();
        for (s, stamp) in stores.iter().zip(&mut stamps) {
            assert_eq!(s.changes(stamp).await.unwrap(), [Thing::Day(day_id)], "a change on node {k}");
        }
    }

    // All write the same row at the same time: certification refuses the slower, the door tries again.
    let (stop, done): (_, Acknowledged) = (Arc::new(AtomicUsize::new(0)), Arc::default());
    let writers: Vec<_> = (0..6)
        .map(|w| writer(stores[w % 3].clone(), day_id, format!("together {w}"), stop.clone(), done.clone()))
        .collect();
    until("more than 30 writes go through", || done.lock().unwrap().len() > 30).await;
    stop.store(1, Ordering::Relaxed);
    for w in writers {
        w.await.unwrap();
    }
    let before = done.lock().unwrap().len();

    // A node dies under its writers; the others go on, and it comes back with everything.
    stop.store(0, Ordering::Relaxed);
    let writers: Vec<_> = (0..4)
        .map(|w| writer(stores[w % 3].clone(), day_id, format!("killed {w}"), stop.clone(), done.clone()))
        .collect();
    until("the writers are at it", || done.lock().unwrap().len() > before).await;
    tokio::task::block_in_place(|| cluster.kill(2));
    let killed = done.lock().unwrap().len();
    until("writes go on while a node is away", || done.lock().unwrap().len() > killed + 10).await;
    tokio::task::block_in_place(|| cluster.up(2, false));
    let back = done.lock().unwrap().len();
    until("writes go on when it is back", || done.lock().unwrap().len() > back).await;
    stop.store(1, Ordering::Relaxed);
    for w in writers {
        w.await.unwrap();
    }
    let acknowledged = done.lock().unwrap().clone();
    for (k, store) in [cluster.store(0), cluster.store(1), cluster.store(2)].iter().enumerate() {
        let notes: std::collections::HashSet<String> =
            store.day_sheet(day_id).await.unwrap().notes.into_iter().map(|n| n.text).collect();
        let lost: Vec<&String> = acknowledged.iter().filter(|a| !notes.contains(*a)).collect();
        assert!(lost.is_empty(), "node {k} lost {lost:?}");
    }
    let things = cluster.store(0).changes(&mut stamps[0]).await.unwrap();
    assert!(
        things == [Thing::Day(day_id)] || things == [Thing::All],
        "and the reader that went on missed nothing: {things:?}"
    );

    // Alone it answers nothing, and says so: what it knows may be old.
    let alone = cluster.store(0);
    alone.ping().await.unwrap();
    tokio::task::block_in_place(|| (cluster.kill(1), cluster.kill(2)));
    let begun = Instant::now();
    let said = loop {
        let said = alone.ping().await;
        if said.is_err() || begun.elapsed() > PATIENCE {
            break said;
        }
        tokio::time::sleep(LOOK).await;
    };
    assert!(matches!(said, Err(StoreError::Unreachable(_))), "{said:?}");
}
