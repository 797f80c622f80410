//! Serving connections: bounded in number and in what each may keep waiting, and ended in bounded time.

use axum::Router;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use std::collections::HashMap;
use std::io;
use std::net::TcpListener;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::Notify;
use tower::{Layer, Service, ServiceExt};

/// A request's head must be there this long after its first byte, or after the last answer.
const HEAD: Duration = Duration::from_secs(15);
/// Descriptors left to everything that is no connection.
const SPARE: u64 = 256;
/// Most connections, however many descriptors there are.
const MOST: u64 = 8192;

/// A connection as the door sees it.
struct Open {
    /// Idle since.
    since: Mutex<Instant>,
    busy: AtomicBool,
    close: Notify,
}

type Doors = Arc<Mutex<HashMap<u64, Arc<Open>>>>;

/// Serves until asked to end, then lets requests under way go on for `grace`. A client that stalls holds up
/// nobody: when there are as many connections as there may be, the one that has been idle longest gives way
/// to a new one.
///
/// # Errors
/// When the listener cannot be used.
pub async fn listen(
    listener: TcpListener,
    app: Router,
    end: impl Future<Output = ()>,
    grace: Duration,
) -> io::Result<()> {
    listener.set_nonblocking(true)?;
    let listener = tokio::net::TcpListener::from_std(listener)?;
    let most = most_connections();
    let (doors, ids): (Doors, AtomicU64) = (Arc::default(), AtomicU64::new(0));
    let ending = Arc::new(Notify::new());
    tokio::pin!(end);
    loop {
        let stream = tokio::select! {
            () = &mut end => break,
            accepted = listener.accept() => match accepted {
                Ok((stream, _)) => stream,
                Err(_) => {
                    // Out of descriptors for a moment: somebody idle goes, and the next one is let in.
                    close_oldest(&doors);
                    tokio::time::sleep(Duration::from_millis(20)).await;
                    continue;
                }
            },
        };
        if doors.lock().unwrap_or_else(PoisonError::into_inner).len() as u64 >= most {
            close_oldest(&doors);
        }
        let _ = stream.set_nodelay(true);
        let id = ids.fetch_add(1, Ordering::Relaxed);
        let open = Arc::new(Open {
            since: Mutex::new(Instant::now()),
            busy: AtomicBool::new(false),
            close: Notify::new(),
        });
        doors.lock().unwrap_or_else(PoisonError::into_inner).insert(id, open.clone());
        tokio::spawn(connection(stream, app.clone(), open, doors.clone(), id, ending.clone()));
    }
    drop(listener);
    ending.notify_waiters();
    let start = Instant::now();
    while start.elapsed() < grace && !doors.lock().unwrap_or_else(PoisonError::into_inner).is_empty() {
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    Ok(())
}

async fn connection(
    stream: tokio::net::TcpStream,
    app: Router,
    open: Arc<Open>,
    doors: Doors,
    id: u64,
    ending: Arc<Notify>,
) {
    let watched = open.clone();
    let app =
        tower::layer::layer_fn(move |inner: Router| Watched { inner, open: watched.clone() }).layer(app);
    let serving = hyper::server::conn::http1::Builder::new()
        .timer(TokioTimer::new())
        .header_read_timeout(HEAD)
        .max_buf_size(64 << 10)
        .serve_connection(TokioIo::new(stream), TowerToHyperService::new(app));
    tokio::pin!(serving);
    tokio::select! {
        _ = &mut serving => {}
        () = open.close.notified() => {}
        () = ending.notified() => {
            // An answer under way is finished; an idle connection is closed at once.
            serving.as_mut().graceful_shutdown();
            let _ = serving.await;
        }
    }
    doors.lock().unwrap_or_else(PoisonError::into_inner).remove(&id);
}

/// Closes the connection that has been idle longest.
fn close_oldest(doors: &Doors) {
    let doors = doors.lock().unwrap_or_else(PoisonError::into_inner);
    let idle = doors.values().filter(|d| !d.busy.load(Ordering::Relaxed));
    if let Some(oldest) = idle.min_by_key(|d| *d.since.lock().unwrap_or_else(PoisonError::into_inner)) {
        oldest.close.notify_one();
    }
}

/// Raises the number of descriptors as far as the system lets it, and says how many of them may be
/// connections.
fn most_connections() -> u64 {
    use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
    let now = getrlimit(Resource::Nofile);
    let wanted = now.maximum.unwrap_or(u64::MAX).min(MOST + SPARE);
    if now.current.is_some_and(|c| c < wanted) {
        let _ = setrlimit(Resource::Nofile, Rlimit { current: Some(wanted), maximum: now.maximum });
    }
    let have = getrlimit(Resource::Nofile).current.unwrap_or(MOST + SPARE);
    have.saturating_sub(SPARE).clamp(16, MOST)
}

/// Notes whether a connection has a request under way.
#[derive(Clone)]
struct Watched {
    inner: Router,
    open: Arc<Open>,
}

impl Service<hyper::Request<hyper::body::Incoming>> for Watched {
    type Response = axum::response::Response;
    type Error = std::convert::Infallible;
    type Future = std::pin::Pin<Box<dyn Future<Output = Result<Self::Response, Self::Error>> + Send>>;

    fn poll_ready(&mut self, _: &mut std::task::Context<'_>) -> std::task::Poll<Result<(), Self::Error>> {
        std::task::Poll::Ready(Ok(()))
    }

    fn call(&mut self, request: hyper::Request<hyper::body::Incoming>) -> Self::Future {
        let (inner, open) = (self.inner.clone(), self.open.clone());
        Box::pin(async move {
            open.busy.store(true, Ordering::Relaxed);
            let answer = inner.oneshot(request.map(axum::body::Body::new)).await;
            open.busy.store(false, Ordering::Relaxed);
            *open.since.lock().unwrap_or_else(PoisonError::into_inner) = Instant::now();
            answer
        })
    }
}
