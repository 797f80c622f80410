//! Numbers that may be missing, in files: a blank is `null` there and NaN here.

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A list of them.
pub mod list {
    use super::{Deserialize, Deserializer, Serializer};

    /// Writes it.
    ///
    /// # Errors
    /// The serializer's own.
    pub fn serialize<S: Serializer>(v: &[f64], s: S) -> Result<S::Ok, S::Error> {
        s.collect_seq(v.iter().map(|x| x.is_finite().then_some(x)))
    }

    /// Reads it.
    ///
    /// # Errors
    /// The deserializer's own.
    pub fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<Vec<f64>, D::Error> {
        let read = Vec::<Option<f64>>::deserialize(d)?;
        Ok(read.into_iter().map(|x| x.unwrap_or(f64::NAN)).collect())
    }
}

/// Writes one.
///
/// # Errors
/// The serializer's own.
#[allow(clippy::trivially_copy_pass_by_ref)]
pub fn serialize<S: Serializer>(v: &f64, s: S) -> Result<S::Ok, S::Error> {
    v.is_finite().then_some(v).serialize(s)
}

/// Reads one.
///
/// # Errors
/// The deserializer's own.
pub fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<f64, D::Error> {
    Ok(Option::<f64>::deserialize(d)?.unwrap_or(f64::NAN))
}

#[cfg(test)]
mod tests {
    use crate::figures::Peak;

    #[test]
    fn a_blank_comes_back_as_a_blank() {
        let peak = Peak { value: 92.5, rpm: f64::NAN };
        let text = serde_json::to_string(&peak).unwrap();
        assert_eq!(text, r#"{"value":92.5,"rpm":null}"#);
        let back: Peak = serde_json::from_str(&text).unwrap();
        assert!(back.value == 92.5 && back.rpm.is_nan());
    }
}
