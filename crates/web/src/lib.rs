//! Pages, fragments and downloads over HTTP.
