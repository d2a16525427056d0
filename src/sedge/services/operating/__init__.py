"""What whoever runs Sedge needs: backups, exports, the state of the surroundings, figures."""
