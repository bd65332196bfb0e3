//! Clocks of a job's time zone, and sizes in its frame.

use chrono::{DateTime, NaiveDateTime, Utc};
use chrono_tz::Tz;
use legere_store::jobs::Job;

/// The instant at which clocks in a time zone showed this; of two, where clocks were put back, the first.
pub fn in_zone(shown: NaiveDateTime, zone: &str) -> DateTime<Utc> {
    let zone: Tz = zone.parse().unwrap_or(Tz::UTC);
    shown.and_local_timezone(zone).earliest().map_or_else(|| shown.and_utc(), |at| at.to_utc())
}

/// How many times a picture of this size is enlarged to fill the job's frame.
pub fn enlarged(width: u32, height: u32, job: &Job) -> f64 {
    (f64::from(job.width) / f64::from(width)).max(f64::from(job.height) / f64::from(height))
}
