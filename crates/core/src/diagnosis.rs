//! Why nothing was found, in the order in which to rule it out.

use crate::conversation::Seat;

/// The likely causes when no node answered on this seat. `shared` says that another program holds the port too.
#[must_use]
pub fn nothing_found(seat: &Seat, shared: bool) -> Vec<String> {
    let mut causes = Vec::new();
    if shared {
        causes.push(
            "another program here holds UDP 6454 and may have taken the answers: close it and try again"
                .to_owned(),
        );
    }
    if seat.own.is_loopback() {
        causes.push("no simulated nodes run on this ground: start them with deft-lantern demo --stay".to_owned());
        return causes;
    }
    causes.push("the cable leads elsewhere: look for the link light at both ends".to_owned());
    causes.push(format!("this is the wrong adapter: {} is where was asked; choose with --adapter", seat.own));
    causes.push("the nodes are still starting, or have no power".to_owned());
    causes.push("a firewall on this computer drops UDP 6454".to_owned());
    if seat.own.is_link_local() {
        causes.push(format!("{} is a link-local address: nobody gave this computer one of the rig's", seat.own));
    }
    causes
}
