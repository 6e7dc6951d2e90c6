"""Wraps a statement with its signatures. Source: DSSE (Dead Simple Signing Envelope), v1.0.2."""

from base64 import b64decode

import msgspec

from plain_verdict.runtime.errors import ReadError

PAYLOAD_TYPE = "application/vnd.in-toto+json"


class Signature(msgspec.Struct, frozen=True, omit_defaults=True):
    """A signature; ``keyid`` is a hint which key made it, and nobody relies on it."""

    sig: bytes
    keyid: str = ""


class Envelope(msgspec.Struct, frozen=True, rename="camel"):
    """A payload with its signatures. Bytes are in Base64, in JSON."""

    payload: bytes
    payload_type: str
    signatures: tuple[Signature, ...]


class _SentSignature(msgspec.Struct):
    sig: str
    keyid: str = ""


class _SentEnvelope(msgspec.Struct, rename="camel"):
    payload: str
    payload_type: str
    signatures: list[_SentSignature]


def _bytes_of(text: str) -> bytes:
    """Return what Base64 says, in either alphabet. Raises ValueError. Source: DSSE, envelope."""
    return b64decode(text.replace("-", "+").replace("_", "/"), validate=True)


def signed_bytes(payload: bytes, payload_type: str = PAYLOAD_TYPE) -> bytes:
    """Return what is signed: the pre-authentication encoding of a payload. Source: DSSE, protocol, PAE."""
    return b"DSSEv1 %d %s %d %s" % (len(payload_type.encode()), payload_type.encode(), len(payload), payload)


def encode_envelope(payload: bytes, signature: Signature) -> bytes:
    """Return an envelope with one signature as JSON."""
    return msgspec.json.encode(Envelope(payload, PAYLOAD_TYPE, (signature,)))


def decode_envelope(data: bytes) -> Envelope:
    """Return the envelope in JSON; one without signatures for a bare statement. Raises ReadError."""
    try:
        fields = msgspec.json.decode(data, type=dict[str, msgspec.Raw])
        if "payload" not in fields:
            return Envelope(data, PAYLOAD_TYPE, ())
        sent = msgspec.json.decode(data, type=_SentEnvelope)
        signatures = tuple(Signature(_bytes_of(found.sig), found.keyid) for found in sent.signatures)
        envelope = Envelope(_bytes_of(sent.payload), sent.payload_type, signatures)
    except ValueError as error:
        raise ReadError(f"is no attestation ({error})", hint="name the file that --attest wrote") from error
    if envelope.payload_type != PAYLOAD_TYPE:
        raise ReadError(f"is an envelope of something else ({envelope.payload_type[:80]!r})")
    return envelope
