//! Footage whose truth is known: drawn clips with every movement, fault, cut and hit on record, for fitting and judging the reading
//! of footage. A clip is a [`Plan`]: from it follow both its pictures ([`shoot`]) and what a reading should say ([`Truth`]).

mod camera;
mod plan;
mod scene;
mod shoot;
mod subject;
mod texture;
mod truth;

#[cfg(test)]
mod tests;

pub use plan::{Plan, Purpose, corpus, over_photographs};
pub use shoot::shoot;
pub use truth::{Second, Truth};
