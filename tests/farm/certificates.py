"""An authority, and a certificate that it signed, as a studio would make them for its render machines."""

from __future__ import annotations

import datetime
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from moss_crown.farm.credentials import Credentials


def _named(name: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])


def issued(folder: Path, name: str) -> Credentials:
    """A new authority with one certificate, as PEM files of that name in a folder."""
    now = datetime.datetime.now(datetime.UTC)
    above, own = ec.generate_private_key(ec.SECP256R1()), ec.generate_private_key(ec.SECP256R1())

    def certificate(subject, key, authority):
        return (
            x509.CertificateBuilder()
            .subject_name(_named(subject))
            .issuer_name(_named(f"{name} authority"))
            .public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(now)
            .not_valid_after(now + datetime.timedelta(days=1))
            .add_extension(x509.BasicConstraints(ca=authority, path_length=None), critical=True)
            .sign(above, hashes.SHA256())
        )

    def written(kind, data):
        path = folder / f"{name}-{kind}.pem"
        path.write_bytes(data)
        return str(path)

    pem = serialization.Encoding.PEM
    secret = own.private_bytes(pem, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    return Credentials(
        written("authority", certificate(f"{name} authority", above, True).public_bytes(pem)),
        written("certificate", certificate(name, own, False).public_bytes(pem)),
        written("key", secret),
    )
