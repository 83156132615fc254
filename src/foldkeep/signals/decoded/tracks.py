"""What sounds and films decode to: samples, if no bit of them is lost by decoding; else the packets, one by one.

Packets are compared without what a container adds to them: start codes or lengths, delimiters and parameter sets of
H.264 and H.265 (ITU-T H.264 and H.265, annex B; ISO/IEC 14496-15), frame headers of AAC (ISO/IEC 13818-7).
"""

from array import array
from collections import Counter
from fractions import Fraction
from typing import Any, BinaryIO

from blake3 import blake3

from .finding import Finding, NotDecoded, pack_moments
from .packets import coder_of

_MOST_PACKETS = 4_000_000
_MICROSECONDS = 1_000_000


def tracks_form(file: BinaryIO) -> tuple[str, str, float] | None:
    """Return the form of a sound or film, see `forms`; None if it has nothing that is compared."""
    import av

    brand = file.read(12)[8:].decode("latin-1")
    file.seek(0)
    with av.open(file, "r", metadata_errors="replace") as clip:
        tracks = _tracks(clip)
        seconds = (clip.duration or 0) / av.time_base
        if not tracks or seconds <= 0:
            return None
        is_samples = all(_has_samples(track) for track in tracks)
        key = [
            (context.name, context.width, context.height)
            if track.type == "video"
            else ("samples" if _has_samples(track) else context.name, context.sample_rate, context.channels)
            for track in tracks
            for context in (track.codec_context,)
        ]
        coding = "" if is_samples else f"{clip.format.name} {brand if 'mp4' in clip.format.name else ''}"
        return repr(key), coding, seconds


def tracks_finding(file: BinaryIO) -> Finding:
    """Return what a sound or film decodes to. Raise NotDecoded if that is not known, what PyAV does if it is broken."""
    import av

    with av.open(file, "r", metadata_errors="replace") as clip:
        tracks = _tracks(clip)
        if not tracks:
            raise NotDecoded("there is no picture or sound in it")
        readers = {track.index: _Samples(track) if _has_samples(track) else _Packets(track) for track in tracks}
        for packet in clip.demux(tracks):
            if packet.is_corrupt:
                raise NotDecoded("it is damaged")
            readers[packet.stream_index].take(packet)
        found = [readers[track.index] for track in tracks]
        films = [track.index for track in tracks if track.type == "video"]
        more = _others(clip, len(tracks))
    moments = [moment - found[0].moments[0] for reader in found for moment in reader.moments]
    told = [*(reader.digest() for reader in found), *(_first_picture(file, index) for index in films)]
    return Finding(blake3(b"".join(told)).hexdigest(), "; ".join(map(str, found)), pack_moments(moments), more)


def _tracks(clip: Any) -> list[Any]:
    """Return the tracks of pictures and of sound, in this order; raise NotDecoded if there is one that is not known."""
    import av

    tracks = [
        track
        for track in (*clip.streams.video, *clip.streams.audio)
        if not track.disposition & av.stream.Disposition.attached_pic
    ]
    if any(track.codec_context is None for track in tracks):
        raise NotDecoded("it has a track of a kind that is not known")
    return tracks


def _has_samples(track: Any) -> bool:
    """Tell whether a track has sound that decodes to just the samples that were coded."""
    return bool(track.type == "audio" and track.codec_context.codec.lossless)


def _others(clip: Any, compared: int) -> dict[str, str]:
    """Return what of a file is not compared, in words by name."""
    kinds = Counter(f"{track.type} tracks" for track in clip.streams if track.type not in ("video", "audio"))
    kinds["pictures"] = len(clip.streams.video) + len(clip.streams.audio) - compared
    kinds["chapters"] = len(clip.chapters())
    return {name: str(count) for name, count in sorted(kinds.items()) if count}


def _first_picture(file: BinaryIO, index: int) -> bytes:
    """Return how a film is shown, as its first picture tells: its size, its turn, its colours."""
    import av

    file.seek(0)
    with av.open(file, "r", metadata_errors="replace") as clip:
        track: Any = clip.streams[index]
        frame: Any
        for frame in clip.decode(track):
            colors = frame.color_range, frame.colorspace, frame.color_primaries, frame.color_trc
            shape = frame.width, frame.height, track.sample_aspect_ratio or Fraction(1), frame.rotation
            return repr((*shape, *map(int, colors))).encode()
    raise NotDecoded("it has no pictures")


class _Packets:
    """The packets of a track as they come.

    Attributes
    ----------
    moments
        When each is shown or heard, in microseconds.
    """

    def __init__(self, track: Any) -> None:
        self.moments = array("q")
        # A track must not be asked once its file is closed.
        self._is_film, self._name = track.type == "video", track.codec_context.name
        self._coder = coder_of(track.codec_context)
        self._hasher = blake3()

    def take(self, packet: Any) -> None:
        """Take a packet; raise NotDecoded if it tells no moment, or what it has is not known."""
        if not packet.size:
            return
        if packet.pts is None or len(self.moments) >= _MOST_PACKETS:
            raise NotDecoded("its packets tell no moments, or there are too many")
        self.moments.append(round(packet.pts * packet.time_base * _MICROSECONDS))
        # Before the first sound players leave out what only readies the decoder, whether or not the container says so.
        is_hidden = packet.is_discard and self._is_film
        content = self._coder.content(bytes(packet))
        self._hasher.update(len(content).to_bytes(8, "big") + bytes([is_hidden]) + content)

    def digest(self) -> bytes:
        """Return a digest of all packets and of what decodes them."""
        if not self.moments:
            raise NotDecoded("a track of it is empty")
        return blake3(self._coder.header() + self._hasher.digest()).digest()

    def __str__(self) -> str:
        return f"{len(self.moments):,} packets of {'pictures' if self._is_film else 'sound'} ({self._name})"


class _Samples:
    """The samples of a sound track as they come; of whole numbers those of fewer bits are as if they had more.

    Attributes
    ----------
    moments
        When the first is heard, in microseconds.
    """

    def __init__(self, track: Any) -> None:
        self.moments = array("q")
        self._rate, self._channels = track.codec_context.sample_rate, track.codec_context.channels
        self._count = 0
        self._forms = set[str]()
        self._hasher = blake3()

    def take(self, packet: Any) -> None:
        """Decode a packet; raise NotDecoded for samples of a kind that is not known."""
        import numpy as np

        for frame in packet.decode():
            if (frame.sample_rate, frame.layout.nb_channels) != (self._rate, self._channels):
                raise NotDecoded("its sound changes its form")
            if not self.moments:
                self.moments.append(round((frame.time or 0) * _MICROSECONDS))
            samples = frame.to_ndarray()
            if frame.format.is_planar:
                samples = samples.T
            if samples.dtype.kind == "f":
                samples, form = samples.astype("<f8"), "float"
            elif samples.dtype == np.uint8:
                samples, form = (samples.astype("<i4") - 128) << 24, "whole"
            elif samples.dtype in (np.int16, np.int32):
                samples, form = samples.astype("<i4") << (32 - 8 * samples.dtype.itemsize), "whole"
            else:
                raise NotDecoded("its samples are of a kind that is not compared")
            self._forms.add(form)
            self._count += frame.samples
            self._hasher.update(samples.tobytes())

    def digest(self) -> bytes:
        """Return a digest of all samples."""
        if not self._count:
            raise NotDecoded("a track of it is empty")
        told = repr((self._rate, self._channels, self._count, sorted(self._forms))).encode()
        return blake3(told + self._hasher.digest()).digest()

    def __str__(self) -> str:
        return f"{self._count:,} samples of sound at {self._rate:,} Hz"
