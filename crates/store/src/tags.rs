//! Tags as fields of the journal, so that two windows may tag the same thing.

use crate::StoreError;
use crate::journal::Fields;
use legere_core::select::{Facet, Tag};
use std::collections::BTreeSet;

/// The tags among some fields, put over a thing's own.
pub(crate) fn with_tags(tags: &BTreeSet<Tag>, fields: &Fields) -> Result<BTreeSet<Tag>, StoreError> {
    let mut next = tags.clone();
    let facet = |name: &str| name.split(' ').next().and_then(Facet::from_word);
    for (name, value) in fields.iter().filter(|(name, _)| facet(name).is_some()) {
        next.retain(|t| tag_field(t) != *name);
        let tag: Option<Tag> = serde_json::from_value(value.clone()).map_err(StoreError::broken("tag"))?;
        next.extend(tag);
    }
    Ok(next)
}

/// The field of a tag: one for each facet that has one answer, one for each word of the others.
pub(crate) fn tag_field(tag: &Tag) -> String {
    if tag.facet().words().is_empty() {
        format!("{} {}", tag.facet().word(), tag.word())
    } else {
        tag.facet().word().to_owned()
    }
}
