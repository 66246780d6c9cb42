"""A kit as large as any: a ladder of resistors and capacitors on a board."""

from pathlib import Path


def write_large_kit(folder: Path, parts: int) -> Path:
    """Write the files of a kit with so many parts."""
    bom, circuit = ["ref,kind,value,tolerance"], ["a ladder", "v1 n0 0 9"]
    pads, placed = ["ref,pin,x_mm,y_mm,pad_mm,net"], ["Designator,Package,Mid X,Mid Y,Rotation,Layer"]
    for k in range(parts):
        letter, kind, value = ("R", "resistor", "10k") if k % 3 else ("C", "capacitor", "100n")
        ref, x, y = f"{letter}{k + 1}", k % 50 * 12, k // 50 * 6
        bom.append(f"{ref},{kind},{value},5%")
        circuit.append(f"{ref.lower()} n{k} n{k + 1} {value}")
        if letter == "C":
            circuit.append(f"rz{k} n{k} n{k + 1} 1meg")
        pads += [f"{ref},{pin},{x + 10 * (pin - 1)},{y},1.6,n{k + pin - 1}" for pin in (1, 2)]
        placed.append(f"{ref},axial-10,{x + 5},{y},0,top")
    circuit.append(f"rl n{parts} 0 1k")
    high = parts // 50 * 6 + 10
    outline = ["x_mm,y_mm", "-5,-5", "620,-5", f"620,{high}", f"-5,{high}"]
    folder.mkdir()
    files = {"bom.csv": bom, "circuit.cir": circuit, "pads.csv": pads, "placement.csv": placed, "outline.csv": outline}
    for name, lines in files.items():
        (folder / name).write_text("\n".join(lines) + "\n")
    return folder
