"""A certificate of this machine's own, for TLS in one's network: nobody vouches for it, its fingerprint is compared."""

from __future__ import annotations

import hashlib
import ipaddress
import os
import socket
import ssl
from collections.abc import Sequence
from datetime import datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

GOOD_FOR = timedelta(days=825)
FILE = "network.pem"


def context(folder: Path, addresses: Sequence[str], now: datetime) -> tuple[ssl.SSLContext, str]:
    """What TLS is spoken with, and the certificate's SHA-256 fingerprint; made anew when it is over or for others."""
    path = folder / FILE
    if not _is_good(path, addresses, now):
        _write(path, addresses, now)
    made = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    made.minimum_version = ssl.TLSVersion.TLSv1_2
    made.load_cert_chain(path)
    certificate = x509.load_pem_x509_certificate(path.read_bytes())
    return made, fingerprint(certificate.public_bytes(serialization.Encoding.DER))


def fingerprint(der: bytes) -> str:
    """The SHA-256 fingerprint of a certificate, as browsers show it."""
    return hashlib.sha256(der).digest().hex(":").upper()


def _names(addresses: Sequence[str]) -> list[x509.GeneralName]:
    own = socket.gethostname().lower()
    return [x509.DNSName(own), *(x509.IPAddress(ipaddress.ip_address(one)) for one in addresses)]


def _is_good(path: Path, addresses: Sequence[str], now: datetime) -> bool:
    try:
        certificate = x509.load_pem_x509_certificate(path.read_bytes())
        named = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    except (OSError, ValueError, x509.ExtensionNotFound):
        return False
    return certificate.not_valid_after_utc > now + timedelta(days=1) and set(_names(addresses)) <= set(named)


def _write(path: Path, addresses: Sequence[str], now: datetime) -> None:
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Tesoura on this machine")])
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + GOOD_FOR)
        .add_extension(x509.SubjectAlternativeName(_names(addresses)), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    written = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    ) + certificate.public_bytes(serialization.Encoding.PEM)
    new = path.with_suffix(".new")
    with os.fdopen(os.open(new, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
        file.write(written)
    new.replace(path)
