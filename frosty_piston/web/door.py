"""Where a workshop is served, and what that takes where others can reach it."""

import ssl
from dataclasses import dataclass
from ipaddress import ip_address
from pathlib import Path

from frosty_piston.core.errors import CannotStart


@dataclass(frozen=True)
class Door:
    """Where a workshop is served: the address, and the certificate and key where others can reach it."""

    host: str = "127.0.0.1"
    port: int = 0
    cert: Path | None = None
    key: Path | None = None

    @property
    def open_to_others(self) -> bool:
        try:
            return not ip_address(self.host).is_loopback
        except ValueError:
            return self.host != "localhost"

    def check(self) -> None:
        """Raises CannotStart when it is open to others without what that takes."""
        if self.open_to_others and not (self.cert and self.key):
            raise CannotStart(
                f"{self.host} can be reached from other machines: name a certificate with --tls-cert and its"
                " key with --tls-key, or leave --host out."
            )
        if bool(self.cert) != bool(self.key):
            raise CannotStart("--tls-cert and --tls-key go together: name both.")
        if self.cert and self.key:
            try:
                ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(self.cert, self.key)
            except OSError as error:
                says = error.strerror or getattr(error, "reason", None) or error
                raise CannotStart(
                    f"The certificate {self.cert} with the key {self.key} cannot be used: {says}."
                ) from None
