//! MariaDB through Diesel: rows, sample blocks and custody of files.
