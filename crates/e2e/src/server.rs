//! The application in this process, on a free port, in a folder of its own.

use anyhow::Result;
use ash_pond::app::{AppState, app};
use ash_pond::keeper::Keeper;
use ash_pond::record::Recorder;
use ash_pond_store::Store;
use std::net::{Ipv4Addr, SocketAddr};
use tempfile::TempDir;
use tokio::net::TcpListener;
use tokio::sync::oneshot;
use tokio::task::JoinHandle;

/// A running server.
pub struct Server {
    folder: TempDir,
    address: SocketAddr,
    running: Option<(oneshot::Sender<()>, JoinHandle<()>)>,
}

impl Server {
    /// Starts on a free port with the demo site.
    ///
    /// # Errors
    /// Where the folder or the port cannot be had.
    pub async fn start() -> Result<Self> {
        let folder = tempfile::tempdir()?;
        let mut server = Self {
            folder,
            address: SocketAddr::from((Ipv4Addr::LOCALHOST, 0)),
            running: None,
        };
        let store = Store::open(server.folder.path())?;
        ash_pond::demo::fill(&store)?;
        ash_pond::demo::stand_ins(&store).await?;
        drop(store);
        server.listen().await?;
        Ok(server)
    }

    /// Stops, and starts again on the same folder and port.
    ///
    /// # Errors
    /// Where the port is gone.
    pub async fn restart(&mut self) -> Result<()> {
        self.stop().await;
        self.listen().await
    }

    /// Stops listening. [`Server::restart`] starts again on the same folder and port.
    pub async fn stop(&mut self) {
        if let Some((stop, task)) = self.running.take() {
            let _ = stop.send(());
            // Connections that a browser keeps open would hold a graceful stop up.
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
            task.abort();
            let _ = task.await;
        }
    }

    async fn listen(&mut self) -> Result<()> {
        // The lock is let go when the last answer of the server before has been dropped.
        let mut store = Store::open(self.folder.path());
        for _ in 0..50 {
            if store.is_ok() {
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
            store = Store::open(self.folder.path());
        }
        let listener = TcpListener::bind(self.address).await?;
        self.address = listener.local_addr()?;
        let state = AppState::new(store?);
        let events = state.events.clone();
        let recorder = Recorder::begin(&state);
        let keeper = Keeper::begin(&state);
        let router = app(state);
        let (stop, stopped) = oneshot::channel::<()>();
        let task = tokio::spawn(async move {
            let asked = async move {
                let _ = stopped.await;
                events.end();
            };
            let _ = axum::serve(listener, router)
                .with_graceful_shutdown(asked)
                .await;
            drop(keeper);
            recorder.end().await;
        });
        self.running = Some((stop, task));
        Ok(())
    }

    /// `http://…` without a path.
    pub fn address(&self) -> String {
        format!("http://{}", self.address)
    }
}
