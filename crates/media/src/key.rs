//! Names of what is kept because it may be wanted again: the same for the same content.

use serde::Serialize;

/// A name made of all these fields, as they are serialised.
pub(crate) fn key_of(fields: &impl Serialize) -> String {
    let text = serde_json::to_vec(fields).expect("numbers, words and structures of them are JSON");
    blake3::hash(&text).to_hex()[..32].to_owned()
}
