//! Remote device management (ANSI E1.20): questions and orders to single devices, here as other protocols carry them.
//!
//! [`Message`] is one of them, [`parameter`] what they are about. Where the data of a parameter is more than a number or a
//! text, a file says how it is laid out.

mod behaviour;
mod component_scope;
mod description;
mod device_info;
pub mod endpoint;
mod line;
mod message;
pub mod network;
pub mod parameter;
mod personality;
mod sensor;
mod slot;
mod status;
pub mod text;
mod uid;

pub use behaviour::Behaviour;
pub use component_scope::{COMPONENT_SCOPE, ComponentScope, FIRST_SLOT, MOST_SCOPE};
pub use description::{Description, Form};
pub use device_info::DeviceInfo;
pub use line::LineCounters;
pub use message::{Class, Message, ResponseType};
pub use personality::Personality;
pub use sensor::{Quantity, SensorDefinition, SensorValue, Unit};
pub use slot::Slot;
pub use status::{StatusMessage, StatusType};
pub use uid::{Uid, UidError};

/// Sub-device and data lengths aside, everything about one device: its root.
pub const ROOT: u16 = 0;
/// The most bytes of data in one message (section 6.2.3).
pub const MOST_DATA: usize = 231;
