package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** All that the facets of one host share: its daemon, its programs, its catalogue. */
final class Host {

  /** The account of the emulator (libvirt "Capabilities XML": base label of the dac model). */
  private static final Pattern EMULATOR =
      Pattern.compile("<baselabel type='(?:kvm|qemu)'>\\+(\\d+):\\+\\d+</baselabel>");

  final String site;
  final Settings settings;
  final Hypervisor hypervisor;
  final HostShell shell;
  final Images images;

  Host(String site, Settings settings) {
    this.site = site;
    this.settings = settings;
    Optional<Ssh> ssh = settings.ssh().map(address -> new Ssh(site, address));
    this.shell = new HostShell(site, settings.socket(), ssh);
    this.hypervisor =
        Hypervisor.at(
            site,
            settings.address(),
            () ->
                ssh.map(s -> uri(settings, s.near(settings.socket().toString())))
                    .orElse(settings.uri()));
    this.images = new Images(shell, settings.runtime());
  }

  private static String uri(Settings settings, String socket) {
    return settings.uri().replaceAll("\\?.*", "") + "?socket=" + socket;
  }

  SiteException failure(String code, String why) {
    return new SiteException(SiteException.Kind.FINAL, code, site + ": " + why, null);
  }

  /** A pool of files: its name, where it lies and its room in bytes. */
  record Pool(String name, String path, long capacity, long available) {}

  /** The pools whose volumes are files, by name. */
  Map<String, Pool> pools() {
    Map<String, Pool> pools = new LinkedHashMap<>();
    hypervisor.pools().stream()
        .map(
            p -> {
              var xml = DomainXml.parse(p.xml());
              return new Pool(
                  DomainXml.text(xml, "name"),
                  DomainXml.text(xml, "path"),
                  p.capacity(),
                  p.available());
            })
        .filter(p -> p.path().startsWith("/") && !p.path().startsWith("/dev/"))
        .sorted(java.util.Comparator.comparing(Pool::name))
        .forEach(p -> pools.put(p.name(), p));
    return pools;
  }

  Pool pool(String name) {
    Pool pool = pools().get(name);
    if (pool == null) {
      throw failure("storage-unknown", "there is no active pool of files '" + name + "'");
    }
    return pool;
  }

  /**
   * The pool that our own files lie in.
   *
   * @throws SiteException of kind may-pass if there is none that is active: somebody may start it
   */
  Pool ownPool() {
    Map<String, Pool> pools = pools();
    String named = settings.pool();
    return (named.isEmpty()
            ? pools.values().stream().findFirst()
            : Optional.ofNullable(pools.get(named)))
        .orElseThrow(
            () ->
                new SiteException(
                    SiteException.Kind.MAY_PASS,
                    "no-pool",
                    site
                        + ": there is no active pool of files"
                        + (named.isEmpty() ? "" : " '" + named + "'")
                        + " for our own things",
                    null));
  }

  /** Where our own files lie. */
  String directory() {
    return ownPool().path() + "/bargelane";
  }

  /**
   * Makes the directory of sockets. The emulator makes some of them itself, as the account that a
   * system's daemon runs it as.
   */
  void runtime() {
    shell.directory(settings.runtime());
    if (settings.uri().startsWith("qemu:///system")) {
      Matcher account = EMULATOR.matcher(hypervisor.capabilities());
      if (account.find()) {
        shell.directory(settings.runtime(), Integer.parseInt(account.group(1)));
      }
    }
  }

  Catalogue catalogue() {
    return new Catalogue(site, shell, directory());
  }

  /**
   * The format of an image as it is declared: by our catalogue, or by the definition of the machine
   * whose disk it is.
   */
  String format(Catalogue.State state, String file) {
    Catalogue.Layer layer = state.layers().get(file);
    if (layer != null) {
      return layer.format();
    }
    return user(file)
        .flatMap(d -> d.disks().stream().filter(x -> x.file().equals(file)).findFirst())
        .map(DomainXml.Disk::format)
        .orElseThrow(
            () ->
                failure(
                    "format-unknown",
                    "the format of "
                        + file
                        + " is declared by no machine and not by our catalogue, and is not guessed"));
  }

  /** The domain one of whose disks is a file. */
  Optional<DomainXml> user(String file) {
    return hypervisor.domains().stream()
        .map(d -> new DomainXml(d.xml()))
        .filter(d -> d.disks().stream().anyMatch(x -> x.file().equals(file)))
        .findFirst();
  }
}
