//! Talking to the kernel about the network (Linux).

use futures_util::TryStreamExt;
use rtnetlink::{Handle, new_connection};
use std::io;

/// Runs one talk with the kernel to its end.
pub(crate) fn talk<T>(talk: impl AsyncFnOnce(Handle) -> Result<T, rtnetlink::Error>) -> io::Result<T> {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build()?;
    runtime.block_on(async {
        let (connection, netlink, _) = new_connection()?;
        let connection = tokio::spawn(connection);
        let result = talk(netlink).await.map_err(into_io);
        connection.abort();
        result
    })
}

/// The kernel's own error number, where it gave one.
pub(crate) fn into_io(error: rtnetlink::Error) -> io::Error {
    match error {
        rtnetlink::Error::NetlinkError(message) => message.to_io(),
        other => io::Error::other(other),
    }
}

/// The number the kernel knows an adapter by; 0 when there is none of this name.
pub(crate) async fn index_of(netlink: &Handle, name: &str) -> Result<u32, rtnetlink::Error> {
    let mut links = netlink.link().get().match_name(name.to_owned()).execute();
    Ok(links.try_next().await?.map_or(0, |link| link.header.index))
}
