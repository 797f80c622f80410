//! The samples of many pulls, decoded and read on all threads while others are fetched.

use crate::error::{WorkflowError, blocking, internal};
use jamjar_core::log::Recording;
use jamjar_store::Store;
use std::sync::Arc;
use tokio::sync::Semaphore;
use tokio::task::JoinSet;

/// Pulls whose samples are in memory at once (our choice: what two or four cores decode while others are fetched).
const AT_ONCE: usize = 6;

/// What is made of the recordings of each pull, in no order; each pull is asked for with a mark to know it by, and
/// its recordings carry duty for so many injections a revolution.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub(crate) async fn each_pull<K, T, F>(
    store: &Store,
    per_rev: Option<f64>,
    pulls: impl IntoIterator<Item = (K, i64, F)>,
) -> Result<Vec<(K, T)>, WorkflowError>
where
    K: Send + 'static,
    T: Send + 'static,
    F: FnOnce(Recording, Option<Recording>) -> T + Send + 'static,
{
    let turns = Arc::new(Semaphore::new(AT_ONCE));
    let mut reading = JoinSet::new();
    for (mark, id, read) in pulls {
        let (store, turns) = (store.clone(), turns.clone());
        reading.spawn(async move {
            let _turn = turns.acquire_owned().await.map_err(internal)?;
            let (dyno, ecu) = store.samples(id).await?;
            let made = move || read(dyno.with_duty(per_rev), ecu.map(|e| e.with_duty(per_rev)));
            Ok::<_, WorkflowError>((mark, blocking(made).await?))
        });
    }
    let mut out = Vec::new();
    while let Some(done) = reading.join_next().await {
        out.push(done.map_err(internal)??);
    }
    Ok(out)
}
