//! Use cases over several crates: import a day, analyse a job, load the demo.
