//! A browser of a test's own, and a cell served to it.

use crate::common::Cell;
use std::net::TcpListener;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;
use thirtyfour::{ChromiumLikeCapabilities, LoggingPrefsLogLevel};

/// A chromedriver of our own, ended with the test.
struct Driver(Child, u16);

impl Driver {
    fn start() -> Self {
        let port = jamjar_store::private::free_port().unwrap();
        let child = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver is installed by ./test");
        let start = Instant::now();
        while std::net::TcpStream::connect(("127.0.0.1", port)).is_err() {
            assert!(start.elapsed() < Duration::from_secs(20), "chromedriver does not answer");
            std::thread::yield_now();
        }
        Self(child, port)
    }
}

impl Drop for Driver {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

async fn open(driver: &Driver) -> WebDriver {
    let mut caps = DesiredCapabilities::chrome();
    for flag in [
        "--headless=new",
        "--no-sandbox",
        "--disable-dev-shm-usage",
        "--disable-background-networking",
        "--no-first-run",
        "--window-size=1280,960",
    ] {
        caps.add_arg(flag).unwrap();
    }
    caps.set_logging_prefs("browser", LoggingPrefsLogLevel::All).unwrap();
    WebDriver::new(format!("http://127.0.0.1:{}", driver.1), caps).await.unwrap()
}

pub(crate) async fn see(d: &WebDriver, css: &str) -> WebElement {
    d.query(By::Css(css))
        .wait(Duration::from_secs(30), Duration::from_millis(50))
        .first()
        .await
        .unwrap_or_else(|e| panic!("{css}: {e}"))
}

/// Serves the cell on a port of its own and walks through it in a browser; the console must stay silent.
pub(crate) async fn walk_through<F: Future<Output = ()> + Send + 'static>(
    cell: Cell,
    walk: impl FnOnce(WebDriver, String) -> F,
) {
    let listener = TcpListener::bind(("127.0.0.1", 0)).unwrap();
    listener.set_nonblocking(true).unwrap();
    let base = format!("http://{}", listener.local_addr().unwrap());
    let app = cell.app.clone();
    tokio::spawn(async move { axum::serve(tokio::net::TcpListener::from_std(listener).unwrap(), app).await });
    let driver = Driver::start();
    let d = open(&driver).await;
    let outcome = tokio::spawn(walk(d.clone(), base)).await;
    let console = d.browser_log().await;
    let _ = d.quit().await;
    drop(driver);
    outcome.expect("the walk through the screens");
    let errors: Vec<String> = console
        .unwrap()
        .into_iter()
        .filter(|e| e.level == "SEVERE" || e.level == "WARNING")
        .map(|e| e.message)
        .collect();
    assert!(errors.is_empty(), "the console has errors: {errors:?}");
}
