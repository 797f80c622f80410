//! Addresses of pages.

/// An encoded query from fields.
pub(crate) fn query_of(pairs: &[(&'static str, String)]) -> String {
    let mut out = form_urlencoded::Serializer::new(String::new());
    out.extend_pairs(pairs);
    out.finish()
}
