"""This machine's own certificate, so that phones of the network talk with it in secret.

No authority signs it: a phone warns once, and whoever pairs it compares the fingerprint with the laptop's.
"""

from __future__ import annotations

import ipaddress
import os
import socket
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

VALID_DAYS = 800  # phones refuse certificates of more than 825 days
RENEW_DAYS = 30  # before it runs out


@dataclass(frozen=True, slots=True)
class Certificate:
    """Files of certificate and key, and the certificate's SHA-256 in pairs of hex letters."""

    certificate: Path
    key: Path
    fingerprint: str


def own_certificate(folder: Path, addresses: list[str], *, now: datetime | None = None) -> Certificate:
    """The certificate of a data folder, made at first use and renewed before it runs out.

    Args:
        addresses: of this machine on the network, IPv4.

    Raises:
        OSError: when it cannot be kept.
    """
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization

    now = datetime.now(UTC) if now is None else now
    certificate, key = folder / "tls.crt", folder / "tls.key"
    try:
        made = x509.load_pem_x509_certificate(certificate.read_bytes())
        serialization.load_pem_private_key(key.read_bytes(), None)
        lasts = made.not_valid_after_utc - now > timedelta(days=RENEW_DAYS)
    except (OSError, ValueError, TypeError):
        lasts = False
    if not lasts:
        made = _make(certificate, key, addresses, now)
    digest = made.fingerprint(hashes.SHA256()).hex().upper()
    pairs = ":".join(digest[at : at + 2] for at in range(0, len(digest), 2))
    return Certificate(certificate, key, pairs)


def _make(certificate: Path, key: Path, addresses: list[str], now: datetime):  # type: ignore[no-untyped-def]
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import NameOID

    secret = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Volnik on this network")])
    known: list[x509.GeneralName] = [x509.DNSName(_host_name())]
    known += [x509.IPAddress(ipaddress.ip_address(address)) for address in addresses]
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(secret.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=VALID_DAYS))
        .add_extension(x509.SubjectAlternativeName(known), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .sign(secret, hashes.SHA256())
    )
    _write(
        key,
        secret.private_bytes(
            serialization.Encoding.PEM,
            serialization.PrivateFormat.PKCS8,
            serialization.NoEncryption(),
        ),
    )
    _write(certificate, made.public_bytes(serialization.Encoding.PEM))
    return made


def _host_name() -> str:
    """This machine's name, as far as a certificate can hold it."""
    name = socket.gethostname()
    return name if name.isascii() and name else "volnik"


def _write(path: Path, body: bytes) -> None:
    """A file that no other user of the machine can read, whole or not at all."""
    half = path.with_name(f"{path.name}.part")
    half.unlink(missing_ok=True)
    with os.fdopen(os.open(half, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as out:
        out.write(body)
    half.replace(path)
