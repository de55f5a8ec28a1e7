//! Networks of our own, and the cable between them.

use std::fs::{self, File};
use std::io;
use std::net::{IpAddr, Ipv4Addr};
use std::os::fd::AsRawFd;
use std::time::{Duration, Instant};

use futures_util::TryStreamExt;
use nix::sched::{CloneFlags, unshare};
use nix::unistd::{getgid, getuid};
use rtnetlink::packet_route::link::{LinkAttribute, State};
use rtnetlink::{Handle, LinkUnspec, LinkVeth, new_connection};

use super::{ADAPTER, FAR_END, SegmentError};

/// How long the cable may take to come up.
const LINK_TIME: Duration = Duration::from_secs(3);

/// Proof that this program is in a network of its own: nothing it does reaches the machine's adapters.
#[derive(Debug)]
pub struct PrivateNetwork(());

impl PrivateNetwork {
    /// Leaves the machine's network for one of our own. Must be called before the program starts a thread: the
    /// system lets only single-threaded programs do this.
    ///
    /// # Errors
    /// When the system does not allow it.
    pub fn enter() -> Result<Self, SegmentError> {
        let (uid, gid) = (getuid(), getgid());
        match unshare(CloneFlags::CLONE_NEWUSER | CloneFlags::CLONE_NEWNET) {
            Ok(()) => map_ids(uid.as_raw(), gid.as_raw()).map_err(SegmentError::Refused)?,
            // Root may have a network of its own also where users may not have their own users.
            Err(_) if uid.is_root() => unshare(CloneFlags::CLONE_NEWNET).map_err(refused)?,
            Err(error) => return Err(refused(error)),
        }
        Ok(Self(()))
    }
}

fn refused(error: nix::Error) -> SegmentError {
    SegmentError::Refused(error.into())
}

/// Whoever we were outside, in here we are root of our own network.
fn map_ids(uid: u32, gid: u32) -> io::Result<()> {
    fs::write("/proc/self/setgroups", "deny")?;
    fs::write("/proc/self/uid_map", format!("0 {uid} 1"))?;
    fs::write("/proc/self/gid_map", format!("0 {gid} 1"))
}

/// Puts the calling thread into a second network and gives a handle on it.
pub(super) fn enter_far_network() -> Result<File, SegmentError> {
    unshare(CloneFlags::CLONE_NEWNET).map_err(refused)?;
    File::open("/proc/thread-self/ns/net").map_err(|error| SegmentError::SetUp(error.to_string()))
}

/// Lays the cable from our network to the far one and gives our end its addresses.
pub(super) fn lay_cable(far_network: &File, own: &[(Ipv4Addr, u8)]) -> Result<(), SegmentError> {
    with_netlink(async |netlink| {
        set_link(&netlink, "lo", true).await?;
        netlink.link().add(LinkVeth::new(ADAPTER, FAR_END).build()).execute().await?;
        let far = index_of(&netlink, FAR_END).await?;
        let moved = LinkUnspec::new_with_index(far).setns_by_fd(far_network.as_raw_fd()).build();
        netlink.link().set(moved).execute().await?;
        set_link(&netlink, ADAPTER, true).await?;
        let adapter = index_of(&netlink, ADAPTER).await?;
        for (address, prefix) in own {
            netlink.address().add(adapter, IpAddr::V4(*address), *prefix).execute().await?;
        }
        Ok(())
    })
}

/// Waits until both ends of the cable are up.
pub(super) fn await_link() -> Result<(), SegmentError> {
    let deadline = Instant::now() + LINK_TIME;
    let mut up = false;
    while !up && Instant::now() < deadline {
        with_netlink(async |netlink| {
            up = has_link(&netlink, ADAPTER).await?;
            Ok(())
        })?;
        if !up {
            std::thread::sleep(Duration::from_millis(5));
        }
    }
    if up { Ok(()) } else { Err(SegmentError::SetUp(format!("{ADAPTER} gets no link"))) }
}

async fn has_link(netlink: &Handle, name: &str) -> Result<bool, rtnetlink::Error> {
    let mut links = netlink.link().get().match_name(name.to_owned()).execute();
    let Some(link) = links.try_next().await? else { return Ok(false) };
    Ok(link.attributes.iter().any(|attribute| matches!(attribute, LinkAttribute::OperState(State::Up))))
}

/// Brings the far end up, from the thread that is in its network.
pub(super) fn plug_far_end() -> Result<(), SegmentError> {
    with_netlink(async |netlink| set_link(&netlink, FAR_END, true).await)
}

async fn set_link(netlink: &Handle, name: &str, up: bool) -> Result<(), rtnetlink::Error> {
    let link = LinkUnspec::new_with_name(name);
    let link = if up { link.up() } else { link.down() };
    netlink.link().set(link.build()).execute().await
}

async fn index_of(netlink: &Handle, name: &str) -> Result<u32, rtnetlink::Error> {
    let mut links = netlink.link().get().match_name(name.to_owned()).execute();
    Ok(links.try_next().await?.map_or(0, |link| link.header.index))
}

/// Talks to the kernel about the network the calling thread is in.
fn with_netlink(talk: impl AsyncFnOnce(Handle) -> Result<(), rtnetlink::Error>) -> Result<(), SegmentError> {
    let set_up = |error: &dyn std::fmt::Display| SegmentError::SetUp(error.to_string());
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().map_err(|e| set_up(&e))?;
    runtime.block_on(async {
        let (connection, netlink, _) = new_connection().map_err(|e| set_up(&e))?;
        let connection = tokio::spawn(connection);
        let result = talk(netlink).await.map_err(|e| set_up(&e));
        connection.abort();
        result
    })
}
