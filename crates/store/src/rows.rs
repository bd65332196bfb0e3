//! Rows that are read together: one that is not what it should be is reported, and does not hide the others.

use uuid::Uuid;

/// A row that cannot be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BrokenRow {
    /// Of the row.
    pub id: Uuid,
    /// What people call it, as far as that can be read.
    pub name: String,
    /// What is wrong with it, for the log.
    pub cause: String,
}

/// What was read of a list.
#[derive(Debug, Clone, PartialEq)]
pub struct Rows<T> {
    /// Those that could be read.
    pub whole: Vec<T>,
    /// Those that could not.
    pub broken: Vec<BrokenRow>,
}

impl<T> Rows<T> {
    /// Reads each row; `name` names one that cannot be read.
    pub(crate) fn read<M, E: std::error::Error>(
        rows: impl IntoIterator<Item = M>,
        name: impl Fn(&M) -> (Uuid, String),
        read: impl Fn(M) -> Result<T, E>,
    ) -> Self {
        let (mut whole, mut broken) = (Vec::new(), Vec::new());
        for row in rows {
            let (id, name) = name(&row);
            match read(row) {
                Ok(read) => whole.push(read),
                Err(error) => {
                    let cause = std::iter::successors(Some(&error as &dyn std::error::Error), |e| e.source())
                        .map(ToString::to_string)
                        .collect::<Vec<_>>()
                        .join(": ");
                    tracing::warn!(%id, name, cause, "a row in the database cannot be read");
                    broken.push(BrokenRow { id, name, cause });
                }
            }
        }
        Self { whole, broken }
    }
}
