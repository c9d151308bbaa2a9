"""The stand-in business system: its description and its data. It plays in a made-up business."""
