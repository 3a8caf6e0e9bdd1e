package bargelane.service.replication;

/** The two ends of a lane: home, where it begins, and away. */
public enum Side {
  HOME,
  AWAY;

  public Side other() {
    return this == HOME ? AWAY : HOME;
  }
}
