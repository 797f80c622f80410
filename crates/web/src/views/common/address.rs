//! Addresses of pages.

/// An encoded query from fields.
pub(crate) fn query_of(pairs: &[(&'static str, String)]) -> String {
    let mut out = form_urlencoded::Serializer::new(String::new());
    out.extend_pairs(pairs);
    out.finish()
}

/// The same with commas left as they are: a list of sets stays readable in the address of a line-up.
pub(crate) fn listed_query(pairs: &[(&'static str, String)]) -> String {
    query_of(pairs).replace("%2C", ",")
}
