package bargelane.sites.libvirt;

import bargelane.blocks.refit.FileEdit;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import bargelane.sites.libvirt.Catalogue.State;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.w3c.dom.Document;

/**
 * Running machines on a host. A fenced machine is off, does not start with the host, is marked so
 * in its metadata, and has a definition that the emulator refuses: nobody starts it by any command.
 */
final class LibvirtCompute implements Compute {

  private static final Duration SHUTDOWN = Duration.ofSeconds(90);
  private static final int START_TRIES = 5;

  private final Host host;

  LibvirtCompute(Host host) {
    this.host = host;
  }

  private static DeviceFamily family(DomainXml xml) {
    return new DeviceFamily(
        xml.disks().stream().map(DomainXml.Disk::bus).findFirst().orElse(""),
        xml.cards().stream()
            .map(c -> c.model().startsWith("virtio") ? "virtio" : c.model())
            .findFirst()
            .orElse(""));
  }

  /** What a domain is, in the inventory's terms. */
  MachineFacts facts(
      Hypervisor.Domain domain,
      State state,
      Map<String, Document> networks,
      Map<String, Host.Pool> pools) {
    DomainXml xml = new DomainXml(domain.xml());
    List<Inventory.Disk> disks = new ArrayList<>();
    for (DomainXml.Disk d : xml.disks()) {
      String pool =
          pools.values().stream()
              .filter(p -> d.file().startsWith(p.path() + "/"))
              .map(Host.Pool::name)
              .findFirst()
              .orElse("");
      disks.add(
          new Inventory.Disk(
              state.volumeOf(d.file()),
              d.file().isEmpty() ? 0 : host.hypervisor.guests.size(xml.uuid(), d.target()),
              pool));
    }
    List<Inventory.Nic> nics = new ArrayList<>();
    List<Inventory.Ingress> ingress = new ArrayList<>();
    for (DomainXml.Card c : xml.cards()) {
      Optional<DomainXml.Forward> forward = DomainXml.Forward.of(c.userNet());
      nics.add(
          new Inventory.Nic(
              c.network().isEmpty() ? Networks.named(c.userNet(), networks) : c.network(),
              forward.map(DomainXml.Forward::address).orElse(""),
              c.mac()));
      forward.ifPresent(f -> ingress.add(new Inventory.Ingress("tcp", f.guestPort(), "")));
    }
    return new MachineFacts(
        xml.uuid(),
        xml.name(),
        xml.cpus(),
        xml.memoryMib(),
        xml.os(),
        xml.firmware(),
        !domain.off(),
        xml.fenced(),
        disks,
        nics,
        ingress,
        Map.of(),
        xml.owner(),
        family(xml),
        GuestFacts.NONE);
  }

  @Override
  public String define(Spec spec) {
    host.catalogue().admit();
    Optional<String> known = known(spec);
    if (known.isPresent()) {
      return known.get();
    }
    try {
      return host.hypervisor.define(new DomainDefinition(host, spec).xml());
    } catch (SiteException e) {
      // Another who makes the same may have been quicker.
      return known(spec).orElseThrow(() -> e);
    }
  }

  private Optional<String> known(Spec spec) {
    for (Hypervisor.Domain d : host.hypervisor.domains()) {
      DomainXml xml = new DomainXml(d.xml());
      if (xml.name().equals(spec.name())) {
        if (xml.owner().equals(spec.owner())) {
          return Optional.of(xml.uuid());
        }
        throw host.failure("name-taken", "there is a domain " + spec.name() + " that is not ours");
      }
    }
    return Optional.empty();
  }

  @Override
  public MachineFacts machine(String id) {
    return facts(
        host.hypervisor.domain(id), host.catalogue().read(), Networks.of(host), host.pools());
  }

  @Override
  public void start(String id) {
    host.catalogue().admit();
    Hypervisor.Domain domain = host.hypervisor.domain(id);
    if (!domain.off()) {
      return;
    }
    DomainXml xml = new DomainXml(domain.xml());
    if (xml.fenced()) {
      throw host.failure("fenced", xml.name() + " is fenced");
    }
    State state = host.catalogue().read();
    for (DomainXml.Disk d : xml.disks()) {
      if (state.frozen().contains(d.file())) {
        throw host.failure(
            "frozen", xml.name() + " can't start: a point holds its disk " + d.file());
      }
    }
    // A point that is gone may have held them when its removal was cut short.
    host.shell.writable(
        xml.disks().stream()
            .map(DomainXml.Disk::file)
            .filter(f -> state.layers().containsKey(f) && state.layers().get(f).ours())
            .toList(),
        List.of());
    bootable(xml);
    for (int i = 0; ; i++) {
      try {
        host.hypervisor.start(id);
        return;
      } catch (SiteException e) {
        // Somebody took the forwarded port since it was chosen: choose another.
        if (i == START_TRIES || !String.valueOf(e.getMessage()).contains("forwarding rule")) {
          throw e;
        }
        DomainXml again = new DomainXml(host.hypervisor.domain(id).xml());
        again.setForwardedPort(DomainDefinition.freePort());
        host.hypervisor.define(again.toString());
      }
    }
  }

  /** A disk without a boot record would leave the machine in its firmware for ever. */
  private void bootable(DomainXml xml) {
    if (!xml.firmware().equals("bios") || xml.disks().isEmpty()) {
      return;
    }
    DomainXml.Disk boot = xml.disks().get(0);
    if (!host.images.hasBootRecord(boot.file(), boot.format())) {
      throw host.failure(
          "not-bootable", xml.name() + " can't start: its first disk has no boot record");
    }
  }

  @Override
  public void stop(String id) {
    host.catalogue().admit();
    if (host.hypervisor.domain(id).off()) {
      return;
    }
    host.hypervisor.askToStop(id);
    if (!host.hypervisor.events.await(SHUTDOWN, () -> host.hypervisor.domain(id).off())) {
      // It did not listen. Its disks are then as after a loss of power.
      host.hypervisor.destroy(id);
    }
  }

  @Override
  public void fence(String id) {
    host.catalogue().admit();
    DomainXml xml = new DomainXml(host.hypervisor.domain(id).xml());
    host.hypervisor.noAutostart(id);
    if (!xml.unstartable()) {
      xml.unstartable(true);
      host.hypervisor.define(xml.toString());
    }
    host.hypervisor.metadata(
        id, new DomainXml.Mark(xml.owner(), true, xml.mark().way()).toString());
  }

  @Override
  public void unfence(String id) {
    host.catalogue().admit();
    DomainXml xml = new DomainXml(host.hypervisor.domain(id).xml());
    if (xml.unstartable()) {
      xml.unstartable(false);
      host.hypervisor.define(xml.toString());
    }
    if (xml.fenced()) {
      host.hypervisor.metadata(
          id, new DomainXml.Mark(xml.owner(), false, xml.mark().way()).toString());
    }
  }

  @Override
  public void remove(String id) {
    host.catalogue().admit();
    try {
      if (!host.hypervisor.domain(id).off()) {
        host.hypervisor.destroy(id);
      }
      String console = new DomainXml(host.hypervisor.domain(id).xml()).consoleFile();
      if (console.startsWith(DomainDefinition.consoles(host) + "/")) {
        host.shell.remove(console);
      } else {
        Yard.removeFiles(host, console);
      }
      host.hypervisor.undefine(id);
    } catch (SiteException e) {
      if (!e.code().equals("missing")) {
        throw e;
      }
    }
  }

  @Override
  public void attach(String id, List<String> disks) {
    host.catalogue().admit();
    State state = host.catalogue().read();
    Hypervisor.Domain domain = host.hypervisor.domain(id);
    DomainXml xml = new DomainXml(domain.xml());
    List<String> files = disks.stream().map(state::fileOf).toList();
    if (xml.disks().stream().map(DomainXml.Disk::file).toList().equals(files)) {
      return;
    }
    if (!domain.off()) {
      throw host.failure("running", xml.name() + " is running: its disks stay");
    }
    xml.setDisks(files, files.stream().map(f -> host.format(state, f)).toList());
    host.hypervisor.define(xml.toString());
  }

  @Override
  public String refit(String name, String owner, List<String> disks, List<FileEdit> edits) {
    return new Yard(host).edit(name, owner, disks, edits);
  }

  @Override
  public void prepareYard(String name, String owner) {
    host.catalogue().admit();
    new Yard(host).prepare(name, owner);
  }

  @Override
  public boolean looks() {
    return !host.settings.yard().isEmpty();
  }

  @Override
  public void look(
      String name, String owner, List<String> disks, List<String> places, String onto) {
    new Yard(host).look(name, owner, disks, places, onto);
  }

  @Override
  public void ownMachine(String id, String owner) {
    host.catalogue().admit();
    DomainXml xml = new DomainXml(host.hypervisor.domain(id).xml());
    host.hypervisor.metadata(
        id, new DomainXml.Mark(owner, xml.fenced(), xml.mark().way()).toString());
  }

  @Override
  public WayIn wayIn(String id, int port) {
    DomainXml xml = new DomainXml(host.hypervisor.domain(id).xml());
    String way = xml.mark().way();
    if (!way.isEmpty()) {
      int colon = way.lastIndexOf(':');
      return host.shell.nearPort(
          way.substring(0, colon), port > 0 ? port : Integer.parseInt(way.substring(colon + 1)));
    }
    DomainXml.Forward forward =
        xml.forward()
            .orElseThrow(
                () ->
                    host.failure("no-way-in", xml.name() + " has no port that the host forwards"));
    if (port > 0 && port != forward.guestPort()) {
      throw host.failure(
          "no-way-in",
          xml.name()
              + " was made to be reached at port "
              + forward.guestPort()
              + " of its guest, and can't be asked at port "
              + port);
    }
    WayIn near =
        host.shell.nearPort(
            forward.host().isEmpty() ? "127.0.0.1" : forward.host(), forward.port());
    return new WayIn(near.host(), near.port(), false);
  }

  @Override
  public Optional<byte[]> console(String id, int most) {
    String file = new DomainXml(host.hypervisor.domain(id).xml()).consoleFile();
    return file.isEmpty() ? Optional.empty() : host.shell.tail(file, most);
  }

  @Override
  public String isolate(String name, String like, String owner) {
    host.catalogue().admit();
    Networks.isolate(host, () -> Networks.of(host), name, like, owner);
    return name;
  }

  @Override
  public void removeNetwork(String id) {
    host.catalogue().admit();
    host.hypervisor.removeNetwork(id);
  }
}
