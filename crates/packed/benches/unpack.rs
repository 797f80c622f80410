//! A measurement read back beside its peer, the text it was kept as before, and the samples of a pull.
#![allow(missing_docs, clippy::unwrap_used)]

#[path = "../tests/pull/mod.rs"]
mod pull;

use criterion::{Criterion, criterion_group, criterion_main};
use jamjar_packed::{decode_block, encode_block, pack, unpack};
use std::hint::black_box;

fn reading(c: &mut Criterion) {
    let m = pull::measured();
    let (packed, text) =
        (pack(&m).unwrap(), zstd::encode_all(&serde_json::to_vec(&m).unwrap()[..], 3).unwrap());
    c.bench_function("a measurement", |b| b.iter(|| unpack(black_box(&packed)).unwrap()));
    c.bench_function("… kept as text", |b| b.iter(|| unpack(black_box(&text)).unwrap()));
    let (dyno, ecu) = pull::recordings();
    let block = encode_block(&dyno, Some(&ecu));
    c.bench_function("samples of a pull", |b| b.iter(|| decode_block(black_box(&block)).unwrap()));
}

criterion_group!(benches, reading);
criterion_main!(benches);
