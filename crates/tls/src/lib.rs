//! TLS (RFC 8446) between a person's own devices and hubs, where no authority of the world's vouches for anyone: whoever answers is known
//! by its key. The key is pinned when it is first met, or typed with the address.

mod identity;
mod listener;
mod pin;
mod pinned;

pub use identity::{Identity, IdentityError};
pub use listener::SecureListener;
pub use pin::{Pin, WrongPin};
pub use pinned::{Pinned, connector};
