use uuid::Uuid;

#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    #[error("there is no {what} {id}")]
    Missing { what: &'static str, id: Uuid },
    #[error("it was changed meanwhile, on another page")]
    Conflict,
    #[error("there is nothing to undo")]
    NothingToUndo,
    #[error("there is nothing to redo")]
    NothingToRedo,
    #[error("{0}")]
    Refused(String),
    #[error("a {what} in the database is not what it should be")]
    Broken { what: &'static str, source: serde_json::Error },
    #[error("the database refused")]
    Database(#[from] sea_orm::DbErr),
    #[error("the database refused")]
    Sqlx(#[from] sea_orm::sqlx::Error),
    #[error("PostgreSQL could not be started: {0}")]
    Cluster(String),
    #[error("the disk refused")]
    Io(#[from] std::io::Error),
}

impl StoreError {
    pub(crate) fn broken(what: &'static str) -> impl FnOnce(serde_json::Error) -> Self {
        move |source| Self::Broken { what, source }
    }
}
