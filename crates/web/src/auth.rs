//! Who is asking. In local mode the owner is signed in; every route already goes through these extractors.

use crate::error::WebError;
use axum::extract::FromRequestParts;
use axum::http::request::Parts;
use axum_extra::extract::CookieJar;
use jamjar_store::By;
use std::convert::Infallible;

/// What a person may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Role {
    /// Reads.
    Reader,
    /// Reads and writes.
    Calibrator,
    /// Everything.
    Owner,
}

/// The person behind a request.
#[derive(Debug, Clone)]
pub(crate) struct Person {
    pub(crate) name: String,
    role: Role,
}

impl Person {
    /// What stands beside a change of this person.
    pub(crate) fn by(&self, why: &str) -> By {
        By::new(self.name.clone(), why)
    }
}

/// The cookie with the name that was said in this browser.
pub(crate) const WHO: &str = "jj_who";

/// The one place that decides who somebody is. Accounts will come here; until then it is a name that was said
/// once in this browser.
fn identify(parts: &Parts) -> Result<Person, Infallible> {
    let cookies = CookieJar::from_headers(&parts.headers);
    let said = cookies.get(WHO).map(|c| c.value().to_owned()).unwrap_or_default();
    let name = form_urlencoded::parse(format!("n={said}").as_bytes()).next().map(|p| p.1.into_owned());
    let name = name.filter(|n| !n.trim().is_empty() && n.chars().count() <= 120);
    Ok(Person { name: name.unwrap_or_else(|| "the calibrator".into()), role: Role::Owner })
}

/// May read.
pub(crate) struct Reader;

/// May write.
pub(crate) struct Calibrator(pub(crate) Person);

fn at_least(parts: &Parts, needed: Role) -> Result<Person, WebError> {
    match identify(parts) {
        Ok(p) if p.role >= needed => Ok(p),
        _ => Err(WebError::Forbidden("you may not do this here".into())),
    }
}

impl<S: Send + Sync> FromRequestParts<S> for Reader {
    type Rejection = WebError;
    async fn from_request_parts(parts: &mut Parts, _: &S) -> Result<Self, WebError> {
        at_least(parts, Role::Reader).map(|_| Self)
    }
}

impl<S: Send + Sync> FromRequestParts<S> for Calibrator {
    type Rejection = WebError;
    async fn from_request_parts(parts: &mut Parts, _: &S) -> Result<Self, WebError> {
        at_least(parts, Role::Calibrator).map(Self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn roles_are_ordered() {
        assert!(Role::Owner > Role::Calibrator && Role::Calibrator > Role::Reader);
    }
}
