"""Where a workshop is served, and what that takes where others can reach it."""

import ssl
from dataclasses import dataclass
from ipaddress import ip_address
from pathlib import Path

from frosty_piston.core.errors import CannotStart


@dataclass(frozen=True)
class Address:
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

    @property
    def is_trusted(self) -> bool:
        """Whether this machine trusts the certificate by itself, as it does not where it is self-signed."""
        if not (self.cert and self.key):
            return False
        client = ssl.create_default_context()
        client.check_hostname = False
        server = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        server.load_cert_chain(self.cert, self.key)
        try:
            _shake_hands(client, server)
        except ssl.SSLCertVerificationError:
            return False
        return True

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


def _shake_hands(client: ssl.SSLContext, server: ssl.SSLContext) -> None:
    """Let a client and a server of this process meet. Raises SSLCertVerificationError."""
    there = ssl.MemoryBIO()
    back = ssl.MemoryBIO()
    ends = [client.wrap_bio(back, there), server.wrap_bio(there, back, server_side=True)]
    while ends:
        for end in list(ends):
            try:
                end.do_handshake()
            except ssl.SSLWantReadError:
                continue
            ends.remove(end)
