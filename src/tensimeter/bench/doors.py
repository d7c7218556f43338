"""The door by which an instrument is reached, as its profile and its resource say."""

from tensimeter.bench.by_file import PREFIX, FileInstrument
from tensimeter.bench.framed import FramedInstrument
from tensimeter.bench.modbus import ModbusInstrument
from tensimeter.bench.profile import Profile
from tensimeter.bench.profiled import ProfiledInstrument
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.visa import VisaInstrument


def opened(resource: str, profile: Profile, part: str) -> ProfiledInstrument:
    """Open the link of an instrument; nothing is said to it. LinkFailed where it can't be reached."""
    if resource.startswith(PREFIX):
        if not profile.streaming:
            raise LinkFailed(
                f"{resource} is a file; its profile must be `streaming`, for nothing is asked of it."
            )
        return FileInstrument(resource, profile, part)
    if profile.registers is not None:
        return ModbusInstrument(resource, profile, part)
    if profile.frame is not None:
        return FramedInstrument(resource, profile, part)
    return VisaInstrument(resource, profile, part)
