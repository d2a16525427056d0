"""What those who run Sedge need: backups, exports, the state of the surroundings, figures."""
