package bargelane.core.site;

import bargelane.core.word.Worded;

/** How a site is reached, and so what it can tell. */
public enum SiteKind implements Worded {
  /** A simulated platform that ships with the product. */
  STANDIN("standin"),
  /** A hypervisor host. */
  LIBVIRT("libvirt"),
  /** A folder of exported packages. */
  OVF("ovf"),
  /** Servers that are read over SSH. */
  SERVERS("servers"),
  /** Machines that an agent in each reports. */
  AGENTS("agents"),
  /** Lists that people give. */
  CSV("csv");

  private final String word;

  SiteKind(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }

  @Override
  public String toString() {
    return word;
  }

  /** Whether it is opened with a token; others go by who runs the service, or by each server. */
  public boolean needsToken() {
    return this == STANDIN;
  }

  /** Whether its machines are looked at only, and may have their home elsewhere. */
  public boolean looksOnly() {
    return this == SERVERS || this == AGENTS || this == CSV;
  }

  /** Whether machines can be taken from it and to it. */
  public boolean replicates() {
    return this == STANDIN || this == LIBVIRT;
  }
}
