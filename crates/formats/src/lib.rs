//! Bytes to logs and back: CSV dialects and channel recognition.
