"""Settings of the server, from the environment (MOSS_CROWN_...)."""

from __future__ import annotations

from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict

from moss_crown.farm.credentials import Credentials


class Settings(BaseSettings):
    model_config = SettingsConfigDict(env_prefix="MOSS_CROWN_")

    database: str = "postgresql://moss_crown@127.0.0.1:54320/moss_crown"
    host: str = "127.0.0.1"
    port: int = 8720
    dask: str = ""  # address of a Dask scheduler, tls://HOST:PORT; empty: two local processes
    dask_authority: str = ""  # PEM files, needed with an address: who signed the certificates of the cluster,
    dask_certificate: str = ""  # one's own certificate,
    dask_key: str = ""  # and its key
    farm: bool = True
    posters: bool = True
    web: Path = Path(__file__).resolve().parents[3] / "web" / "dist"
    proof_threads: int = 2
    request_bytes: int = 8 * 1024 * 1024
    upload_bytes: int = 64 * 1024 * 1024
    job_seconds: float = 120.0  # a compute job that takes longer is ended
    job_bytes: int = 6 * 1024**3  # address space of a compute process

    @property
    def credentials(self) -> Credentials:
        return Credentials(self.dask_authority, self.dask_certificate, self.dask_key)
