//! Media folders that were added while the program ran.

use crate::entity::media_root;
use crate::{Store, StoreError};
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::Set, QueryOrder};

impl Store {
    /// Names and places of the media folders that were added on the page.
    pub async fn added_roots(&self) -> Result<Vec<(String, String)>, StoreError> {
        let rows = media_root::Entity::find().order_by_asc(media_root::Column::Name).all(&self.db).await?;
        Ok(rows.into_iter().map(|row| (row.name, row.path)).collect())
    }

    /// Keeps a media folder whose name is new.
    pub async fn add_root(&self, name: &str, path: &str) -> Result<(), StoreError> {
        let row = media_root::ActiveModel { name: Set(name.to_owned()), path: Set(path.to_owned()) };
        media_root::Entity::insert(row).exec_without_returning(&self.db).await?;
        Ok(())
    }
}
