"""Know-how of assembly: order and its reasons, schools, bends, joints, look-alikes, hazards, the tray."""
