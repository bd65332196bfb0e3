//! Enumerations that people and files name by a word: one table for the screen, the database and the interchange formats.

/// Gives an enumeration that derives strum's `IntoStaticStr`, `EnumString` and `VariantArray` its `word` and its `ALL`.
#[macro_export]
macro_rules! words {
    ($type:ty) => {
        impl $type {
            /// All of them, in their order.
            pub const ALL: &'static [Self] = <Self as strum::VariantArray>::VARIANTS;

            /// Its word on the screen and in files.
            pub fn word(self) -> &'static str {
                self.into()
            }

            /// What a word names.
            pub fn from_word(word: &str) -> Option<Self> {
                word.parse().ok()
            }
        }
    };
}
