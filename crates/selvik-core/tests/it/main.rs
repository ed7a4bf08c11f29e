//! The job against closed forms and reference libraries.

mod along_the_path;
mod certified_sweep;
mod handling;
mod inverse;
mod measures_hold;
mod ortho_parallel;
mod programmed_motion;
mod recorded_motion;
mod sampled;
mod swept_again;
