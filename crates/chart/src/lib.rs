//! View models to SVG: one renderer for page, report and download.
