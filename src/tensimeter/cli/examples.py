"""An example for every command, as its help shows it."""

from typing import Any

#: By the words that call a command: what follows them. JOB is a job file, the others are files by their kind.
EXAMPLES: dict[str, str] = {
    "solve": "JOB --load MOUNT=4A",
    "reach": "JOB MOUNT",
    "claims": "JOB",
    "check-profile": "generic-scope TCPIP::127.0.0.1::5025::SOCKET",
    "instruments": "--at 127.0.0.1:5025",
    "install-desktop": "",
    "report": "JOB -o sheet.pdf",
    "export": "JOB folder",
    "logbook": "JOB --find mount --kind reading",
    "import": "folder NEW.tensi",
    "check": "JOB",
    "schema": "",
    "file": "JOB mount 13.58V @4A",
    "strike": 'JOB 1 --reason "the wrong meter"',
    "stand-ins": "--demo ridge-pier --voltmeter-as modbus",
    "prove": "JOB load-regulation --stand-ins",
    "demo": "ridge-pier",
    "plate": "JOB -o plate.pdf --width 90",
    "template": "JOB front --size 260x110x2 --from-design -o front.pdf",
    "tune": "JOB meters",
    "analyse regulation": "log.csv --nominal 13.6V --meter 0.05%+3@0.001",
    "analyse cross": "cases.csv",
    "analyse leakage": "--open 48V --loaded 1.2V",
    "analyse capacity": "pack.csv --cutoff 10.5V",
    "analyse transient": "step.csv",
    "analyse ripple": "scope.npy --rate 10M --switching 65k",
    "analyse limit": "overload.csv --load-max 10A",
    "analyse meter": "meter.csv --counts 0.01 --accuracy 0.05%+2@0.001",
    "analyse soak": "LOG.csv --limit 85",
    "size rectifier": "--emf 18 --capacitance 10m --load 2A --resistance 0.4",
    "size regulator": "--volts 13.6 --input 18 --current 1",
    "size feedback": "--reference 1.25 --upper 10k --lower 1k --fixed 20k --pot 10k --trip 15",
    "size stack": "--unit 24V6.3A --unit 24V6.3A",
    "size dummy-load": "--volts 13.6 --current 4",
    "size discharge": "--capacitance 470u --start 325 --resistance 10k",
    "size pwm-dac": "--supply 5 --frequency 31k --bits 8 --resistance 10k --capacitance 1u",
    "size box": "--length 260 --width 180 --height 90",
    "size flyback": "--line 180V..264V --output 13.6V@2A --ae 76mm2 --le 72mm --window 90mm2",
    "size heat-sink": "--power 60 --junction 0.7 --devices 2",
    "size derating": '--curve "25=100%" --curve "150=0%" --temperature 70',
    "size fan": "--on 50 --off 45 --blown 0.6 --power 40 --still 1.5 --capacity 300",
    "size ntc": "--resistance 10k --beta 3950 --series 10k",
    "size load-bank": "--volts 12 --piece 10R@50W --amps 5",
    "size led-strings": "--threshold 30 --slope 2 --volts 36",
    "size motor-load": "--volts 12 --winding 0.5",
    "size pulsed-load": "--high 4 --share 0.5",
    "size sink-load": '--volts 30 --amps 5 --watts 60 --soa "10V=12A 30V=2.5A 60V=0.6A"',
    "size linear-stage": "--amps 2 --input-high 40 --input-low 30",
    "size wire": "--gauge 16awg --length 1.4 --current 3A",
    "size fuse": "--current 4A",
    "size transformer-fuse": "--current 0.5 --secondary 4",
}


def with_examples(command: Any, words: str = "") -> None:  # noqa: ANN401 - typer's own click
    """Write each command's example under its help."""
    for name, inner in getattr(command, "commands", {}).items():
        with_examples(inner, f"{words} {name}".strip())
    if words in EXAMPLES:
        command.epilog = f"Example: tensimeter {words} {EXAMPLES[words]}".strip()
