//! What is out of focus: against the rest of its clip, and against the other clips of its job.

use crate::stats;

/// Sharpness below this share of what is usual in the clip is out of focus.
const SOFT: f64 = 0.5;
/// A clip whose usual sharpness is below this share of the job's is out of focus all along.
const SOFT_IN_JOB: f64 = 0.4;
/// Sharpness up to which there were no edges to tell it by.
const NO_EDGES: f64 = 0.02;
/// Clips from which it is known what is usual in a job.
const KNOWN_FROM: usize = 5;

/// What is usual among the sharpnesses of a clip, 0–1: soft stretches do not lower it.
pub fn usual_sharpness(sharpness: &[f32]) -> f64 {
    stats::percentile(sharpness.iter().map(|v| f64::from(*v)).collect(), 0.75)
}

/// What is usual among the clips of a job, by what is usual in each, 0–1; none where too few are known to say.
pub fn usual_in_job(clips: impl IntoIterator<Item = f64>) -> Option<f64> {
    let known: Vec<f64> = clips.into_iter().filter(|v| *v > NO_EDGES).collect();
    (known.len() >= KNOWN_FROM).then(|| stats::percentile(known, 0.5))
}

/// Whether a clip is softer all along than the clips of its job are.
pub fn is_soft_in_job(clip: f64, job: Option<f64>) -> bool {
    clip > NO_EDGES && job.is_some_and(|job| clip < SOFT_IN_JOB * job)
}

/// Whether pictures are out of focus in a clip that usually is so sharp.
pub(super) fn is_soft(sharpness: f32, clip: f64) -> bool {
    clip > NO_EDGES && f64::from(sharpness) < SOFT * clip
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_clip_is_soft_beside_sharper_ones_and_not_beside_its_like() {
        let job = usual_in_job([0.5, 0.6, 0.55, 0.15, 0.0, 0.7]);
        assert_eq!(job, Some(0.55), "a clip without edges says nothing");
        assert!(is_soft_in_job(0.15, job) && !is_soft_in_job(0.3, job));
        assert!(!is_soft_in_job(0.0, job), "nobody knows how sharp a bare wall is");
        assert!(!is_soft_in_job(0.15, usual_in_job([0.15, 0.16, 0.14, 0.2, 0.15])), "all of them are so soft");
        assert_eq!(usual_in_job([0.5, 0.6, 0.1]), None, "too few to know");
    }

    #[test]
    fn soft_stretches_do_not_lower_what_is_usual() {
        let mut clip = vec![0.6f32; 40];
        let sharp = usual_sharpness(&clip);
        clip[..20].fill(0.1);
        assert_eq!(usual_sharpness(&clip), sharp);
    }
}
