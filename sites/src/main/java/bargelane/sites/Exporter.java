package bargelane.sites;

/** Something that offers disks and can take the offer back. */
public interface Exporter {

  /**
   * Revokes an export. When this returns no request through it is running or will run. Revoking one
   * that is gone does nothing.
   */
  void closeExport(String name);
}
