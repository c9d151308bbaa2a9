"""The practice system: the description and data of a made-up business."""
