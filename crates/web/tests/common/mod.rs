//! A real database and the real router for tests; shared by the test binaries.
#![allow(dead_code, clippy::unwrap_used, clippy::expect_used)]

#[path = "../../../store/tests/shop/kept.rs"]
mod kept;

use axum::Router;
use axum::body::Body;
use axum::http::{Request, StatusCode};
use jamjar_store::Store;
use jamjar_store::private::PrivateDb;
use jamjar_web::{AppState, Instance, router};
use std::path::{Path, PathBuf};
use tempfile::TempDir;
use tokio::sync::OnceCell;
use tower::ServiceExt;

pub(crate) struct Cell {
    db: PrivateDb,
    folder: TempDir,
    pub(crate) store: Store,
    pub(crate) app: Router,
}

fn settings(folder: &Path) -> Instance {
    Instance { data: folder.to_owned(), hosts: Vec::new(), spare_bytes: Instance::SPARE_BYTES }
}

/// Who changes things in tests.
pub(crate) fn by() -> jamjar_store::By {
    jamjar_store::By::new("the calibrator", "")
}

pub(crate) struct Reply {
    pub(crate) status: StatusCode,
    pub(crate) headers: axum::http::HeaderMap,
    pub(crate) body: Vec<u8>,
}

impl Reply {
    pub(crate) fn text(&self) -> String {
        String::from_utf8_lossy(&self.body).into_owned()
    }

    pub(crate) fn location(&self) -> String {
        self.headers["location"].to_str().unwrap().to_owned()
    }
}

/// Values of the tick boxes of a fragment, each with the number of its set.
pub(crate) fn ticked(page: &str) -> Vec<(String, String)> {
    page.split("name=\"pull.")
        .skip(1)
        .map(|p| {
            let set = p.split('"').next().unwrap();
            let value = p.split("value=\"").nth(1).unwrap().split('"').next().unwrap();
            (format!("pull.{set}"), value.to_owned())
        })
        .collect()
}

impl Cell {
    /// Stores what waits, with the fields given beside the ticks.
    pub(crate) async fn store_ticked(&self, day: &str, page: &str, more: &[(&str, &str)]) {
        let pulls = ticked(page);
        let mut form: Vec<(&str, &str)> = pulls.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
        form.extend_from_slice(more);
        let run = self.post(&format!("{day}/commit"), &form).await.text();
        let address =
            run.split("hx-get=\"").nth(1).unwrap_or_else(|| panic!("{run}")).split('"').next().unwrap();
        let done = self.finished(address).await.text();
        assert!(!done.contains("error"), "{done}");
    }

    /// An empty shop: its tables are made once, then copied.
    pub(crate) async fn start(name: &str) -> Self {
        static EMPTY: OnceCell<PathBuf> = OnceCell::const_new();
        let made = EMPTY.get_or_init(|| async {
            let mut cell = Self::on(TempDir::with_prefix("jw-").unwrap()).await;
            cell.keep("empty")
        });
        let folder = TempDir::with_prefix(format!("jw-{name}-")).unwrap();
        kept::copy(made.await, folder.path());
        Self::on(folder).await
    }

    /// Its folder, kept for copies; its server ends.
    fn keep(&mut self, name: &str) -> PathBuf {
        self.db.stop();
        let kept = kept::folder(name);
        kept::copy(self.folder.path(), &kept);
        kept
    }

    /// A shop of its own with the demo in it: loaded once, then copied.
    pub(crate) async fn with_demo() -> Self {
        static DEMO: OnceCell<PathBuf> = OnceCell::const_new();
        let made = DEMO.get_or_init(|| async {
            let mut cell = Self::start("demo").await;
            cell.load_demo().await;
            cell.keep("demo")
        });
        let folder = TempDir::with_prefix("jw-").unwrap();
        kept::copy(made.await, folder.path());
        Self::on(folder).await
    }

    /// What another instance on the same shop would have.
    pub(crate) fn state(&self) -> AppState {
        AppState::new(self.store.clone(), settings(self.folder.path())).unwrap()
    }

    async fn on(folder: TempDir) -> Self {
        let db = PrivateDb::start(folder.path(), 0).unwrap();
        let store = Store::new(&db.url("jamjar"), 8).unwrap();
        store.migrate().await.unwrap();
        let app = router(AppState::new(store.clone(), settings(folder.path())).unwrap());
        Self { db, folder, store, app }
    }

    pub(crate) async fn load_demo(&self) {
        let run =
            jamjar_workflow::demo::begin(&self.store).await.unwrap().expect("an empty store takes the demo");
        jamjar_workflow::demo::load(&self.store, run).await.unwrap();
    }

    pub(crate) fn url(&self) -> String {
        self.db.url("jamjar")
    }

    pub(crate) async fn send(&self, request: Request<Body>) -> Reply {
        let r = self.app.clone().oneshot(request).await.unwrap();
        let (parts, body) = r.into_parts();
        Reply {
            status: parts.status,
            headers: parts.headers,
            body: axum::body::to_bytes(body, 256 << 20).await.unwrap().to_vec(),
        }
    }

    /// The same request to another instance that serves the same database.
    pub(crate) async fn get_elsewhere(&self, other: &Router, path: &str) -> Reply {
        let request = Request::get(path).header("host", "127.0.0.1:1").body(Body::empty()).unwrap();
        let (parts, body) = other.clone().oneshot(request).await.unwrap().into_parts();
        Reply {
            status: parts.status,
            headers: parts.headers,
            body: axum::body::to_bytes(body, 256 << 20).await.unwrap().to_vec(),
        }
    }

    /// A day of a new vehicle on a hub dyno, made as a person makes it; its address.
    pub(crate) async fn new_day(&self, vehicle: &str, ratio: &str) -> String {
        let form = [
            ("name", vehicle),
            ("dyno", "hub"),
            ("ratio", ratio),
            ("ignition", "spark"),
            ("aspiration", "turbocharged"),
            ("date", "2026-03-03"),
            ("temperature", "21.4"),
            ("humidity", "52"),
            ("pressure", "1002.1"),
        ];
        let made = self.post("/days", &form).await;
        assert_eq!(made.status, StatusCode::SEE_OTHER, "{}", made.text());
        made.location()
    }

    /// An instance on a disk that is as good as full.
    pub(crate) fn on_a_full_disk(&self) -> Router {
        router(
            AppState::new(
                self.store.clone(),
                Instance { spare_bytes: u64::MAX, ..settings(self.folder.path()) },
            )
            .unwrap(),
        )
    }

    /// Another instance with a memory of its own.
    pub(crate) fn another(&self) -> Router {
        router(AppState::new(self.store.clone(), settings(self.folder.path())).unwrap())
    }

    pub(crate) async fn get(&self, path: &str) -> Reply {
        self.send(Request::get(path).header("host", "127.0.0.1:1").body(Body::empty()).unwrap()).await
    }

    pub(crate) async fn post(&self, path: &str, form: &[(&str, &str)]) -> Reply {
        let body: Vec<String> = form.iter().map(|(k, v)| format!("{}={}", encode(k), encode(v))).collect();
        let request = Request::post(path)
            .header("host", "127.0.0.1:1")
            .header("origin", "http://127.0.0.1:1")
            .header("content-type", "application/x-www-form-urlencoded")
            .body(Body::from(body.join("&")))
            .unwrap();
        self.send(request).await
    }

    /// The last page of a run, which ends within two minutes.
    pub(crate) async fn finished(&self, run: &str) -> Reply {
        let begun = std::time::Instant::now();
        loop {
            let r = self.get(run).await;
            if !r.text().contains("hx-get") {
                return r;
            }
            assert!(begun.elapsed().as_secs() < 120, "still running: {}", r.text());
            tokio::time::sleep(std::time::Duration::from_millis(20)).await;
        }
    }

    pub(crate) async fn drop_files(&self, day: &str, files: &[(&str, &[u8])]) -> Reply {
        self.upload(&format!("{day}/files"), "files", files).await
    }

    /// One file with fields before it.
    pub(crate) async fn upload_with(
        &self,
        path: &str,
        fields: &[(&str, &str)],
        name: &str,
        bytes: &[u8],
    ) -> Reply {
        let mut body = Vec::new();
        for (k, v) in fields {
            body.extend(
                format!("--xyz\r\nContent-Disposition: form-data; name=\"{k}\"\r\n\r\n{v}\r\n").bytes(),
            );
        }
        let head =
            format!("--xyz\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n");
        body.extend(head.bytes());
        body.extend(bytes);
        body.extend(b"\r\n--xyz--\r\n");
        let request = Request::post(path)
            .header("host", "127.0.0.1:1")
            .header("origin", "http://127.0.0.1:1")
            .header("content-type", "multipart/form-data; boundary=xyz")
            .body(Body::from(body))
            .unwrap();
        self.send(request).await
    }

    pub(crate) async fn upload(&self, path: &str, field: &str, files: &[(&str, &[u8])]) -> Reply {
        let mut body = Vec::new();
        for (name, bytes) in files {
            body.extend(
                format!("--xyz\r\nContent-Disposition: form-data; name=\"{field}\"; filename=\"{name}\"\r\nContent-Type: text/csv\r\n\r\n").bytes(),
            );
            body.extend(*bytes);
            body.extend(b"\r\n");
        }
        body.extend(b"--xyz--\r\n");
        let request = Request::post(path)
            .header("host", "127.0.0.1:1")
            .header("origin", "http://127.0.0.1:1")
            .header("x-part", "inbox")
            .header("content-type", "multipart/form-data; boundary=xyz")
            .body(Body::from(body))
            .unwrap();
        self.send(request).await
    }
}

impl Drop for Cell {
    fn drop(&mut self) {
        self.db.stop();
    }
}

fn encode(s: &str) -> String {
    s.bytes()
        .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
        .collect()
}
