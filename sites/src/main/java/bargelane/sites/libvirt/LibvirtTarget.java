package bargelane.sites.libvirt;

import bargelane.blocks.nbd.NbdAddress;
import bargelane.sites.ExportRef;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import bargelane.sites.libvirt.Catalogue.Layer;
import bargelane.sites.libvirt.Catalogue.Point;
import bargelane.sites.libvirt.Catalogue.State;
import bargelane.sites.libvirt.Catalogue.Volume;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Writing a host's disks: volumes and points as chains of qcow2 layers in a pool (QEMU, "qcow2
 * image file format", backing files).
 *
 * <p>Freezing a volume that no machine has lays a new, empty layer on its file, which nobody writes
 * again. A volume that a machine has is frozen where it is, and the machine can't be started on it
 * until the point is gone. When a point goes, layers that nothing needs go with it; a layer that
 * one other lies on is merged, the smaller of the two copied, unless either is in use.
 */
final class LibvirtTarget implements Target {

  private final Host host;

  private final Layers chains;

  LibvirtTarget(Host host) {
    this.host = host;
    this.chains = new Layers(host);
  }

  @Override
  public void createVolume(String name, String owner, long bytes, String storage, String key) {
    if (!key.isEmpty()) {
      throw host.failure("key-unknown", "there is no key " + key);
    }
    Catalogue catalogue = host.catalogue();
    String file = host.pool(storage).path() + "/" + name + ".qcow2";
    if (record(catalogue, name, new Volume(owner, storage, bytes, file), "")) {
      host.images.create(file, bytes);
    }
  }

  /**
   * Writes a volume down before its file is made. Gives whether the file is still the one that it
   * began with: then it may have to be made.
   */
  private boolean record(Catalogue catalogue, String name, Volume volume, String backing) {
    return catalogue.change(
        s -> {
          Volume known = s.volumes().get(name);
          if (known != null) {
            return known.layer().equals(volume.layer());
          }
          Layer below = s.layers().get(backing);
          if (!backing.isEmpty() && (below == null || below.going())) {
            throw new SiteException(
                SiteException.Kind.MAY_PASS,
                "busy",
                host.site + ": the image below " + name + " is being merged with another",
                null);
          }
          s.layers().put(volume.layer(), new Layer("qcow2", backing, true, false));
          s.volumes().put(name, volume);
          return true;
        });
  }

  @Override
  public void cloneVolume(String name, String owner, String storage, String point, String volume) {
    Catalogue catalogue = host.catalogue();
    State state = catalogue.read();
    if (!state.points().containsKey(point) && state.volumes().containsKey(name)) {
      return;
    }
    String layer = layer(state, point, volume);
    String file = host.pool(storage).path() + "/" + name + ".qcow2";
    long bytes = host.images.info(layer, state.layers().get(layer).format()).bytes();
    if (record(catalogue, name, new Volume(owner, storage, bytes, file), layer)) {
      host.images.layer(file, layer, state.layers().get(layer).format());
    }
  }

  @Override
  public void deleteVolume(String name) {
    Catalogue catalogue = host.catalogue();
    State state = catalogue.read();
    Volume v = state.volumes().get(name);
    if (v == null) {
      // Whoever removed it may have been cut off before what only it needed was gone.
      if (Layers.unneeded(state)) {
        chains.tidy(catalogue);
      }
      return;
    }
    host.user(v.layer())
        .ifPresent(
            d -> {
              throw host.failure("in-use", "volume " + name + " is a disk of " + d.name());
            });
    String format = host.format(state, v.layer());
    catalogue.change(
        s -> {
          s.volumes().remove(name);
          // The site's own image, set aside and given up: from now on a layer like any other.
          String backing =
              s.layers().containsKey(v.layer()) ? s.layers().get(v.layer()).backing() : "";
          return s.layers().put(v.layer(), new Layer(format, backing, true, false));
        });
    chains.tidy(catalogue);
  }

  @Override
  public void growVolume(String name, long bytes) {
    Catalogue catalogue = host.catalogue();
    State state = catalogue.read();
    Volume v = volume(state, name);
    if (v.bytes() < bytes) {
      host.images.grow(v.layer(), host.format(state, v.layer()), bytes);
      catalogue.change(
          s -> s.volumes().put(name, new Volume(v.owner(), v.pool(), bytes, v.layer())));
    }
  }

  private Volume volume(State state, String name) {
    Volume v = state.volumes().get(name);
    if (v == null) {
      throw host.failure("missing", "there is no volume " + name);
    }
    return v;
  }

  @Override
  public ExportRef openVolume(String export, String volume, boolean write) {
    State state = host.catalogue().read();
    String file = state.fileOf(volume);
    if (write && state.frozen().contains(file)) {
      throw host.failure("frozen", "volume " + volume + " is held by a point");
    }
    if (write) {
      chains.release(state, Set.of(file));
    }
    return serve(export, state, file, write);
  }

  @Override
  public ExportRef openFrozen(String export, String point, String volume) {
    State state = host.catalogue().read();
    return serve(export, state, layer(state, point, volume), false);
  }

  private ExportRef serve(String export, State state, String file, boolean write) {
    String socket = host.images.serve(export, file, host.format(state, file), write, "");
    return new ExportRef(export, new NbdAddress.Unix(Path.of(socket), export, "").uri(), false);
  }

  private String layer(State state, String point, String volume) {
    Point p = state.points().get(point);
    String layer = p == null ? null : p.layers().get(volume);
    if (layer == null) {
      throw host.failure("missing", "there is no point " + point + " of " + volume);
    }
    return layer;
  }

  @Override
  public void closeExport(String name) {
    host.images.close(name);
  }

  @Override
  public void freeze(String point, String owner, List<String> volumes) {
    Catalogue catalogue = host.catalogue();
    State state = catalogue.read();
    Point known = state.points().get(point);
    Map<String, String> layers = new LinkedHashMap<>();
    Map<String, String> next = new LinkedHashMap<>();
    Map<String, String> formats = new LinkedHashMap<>();
    for (String name : volumes) {
      Volume v = state.volumes().get(name);
      String layer = known != null ? known.layers().get(name) : state.fileOf(name);
      boolean newest = v != null && v.layer().equals(layer);
      if (newest && known == null && chains.blank(state, layer)) {
        // Nothing was written since it was laid: what is below it is what there is to hold.
        layer = state.layers().get(layer).backing();
      } else if (newest && host.user(layer).isEmpty()) {
        String file = host.pool(v.pool()).path() + "/" + name + "." + Names.brief(point) + ".qcow2";
        host.images.layer(file, layer, host.format(state, layer));
        next.put(name, file);
      }
      layers.put(name, layer);
      formats.put(layer, host.format(state, layer));
    }
    catalogue.change(
        s -> {
          if (known == null && s.points().containsKey(point)) {
            return null; // another was quicker
          }
          for (Map.Entry<String, String> held : layers.entrySet()) {
            if (state.layers().containsKey(held.getValue())
                && !s.layers().containsKey(held.getValue())) {
              throw new SiteException(
                  SiteException.Kind.MAY_PASS,
                  "busy",
                  host.site + ": an image below " + held.getKey() + " was merged meanwhile",
                  null);
            }
          }
          s.points().put(point, new Point(owner, layers));
          layers.values().stream()
              .filter(l -> !s.layers().containsKey(l))
              .forEach(l -> s.layers().put(l, new Layer(formats.get(l), "", false, false)));
          next.forEach(
              (name, file) -> {
                Volume v = s.volumes().get(name);
                s.layers().put(file, new Layer("qcow2", layers.get(name), true, false));
                s.volumes().put(name, new Volume(v.owner(), v.pool(), v.bytes(), file));
              });
          return null;
        });
    chains.hold(catalogue.read(), layers.values());
  }

  @Override
  public void deletePoint(String point) {
    Catalogue catalogue = host.catalogue();
    Point gone = catalogue.change(s -> s.points().remove(point));
    if (gone != null) {
      chains.release(catalogue.read(), Set.copyOf(gone.layers().values()));
    }
    catalogue.removeFiles(point);
    chains.tidy(catalogue);
  }

  @Override
  public List<PointRef> points(String ownerPrefix) {
    return host.catalogue().read().points().entrySet().stream()
        .filter(p -> p.getValue().owner().startsWith(ownerPrefix))
        .map(
            p ->
                new PointRef(
                    p.getKey(), p.getValue().owner(), List.copyOf(p.getValue().layers().keySet())))
        .toList();
  }

  @Override
  public void attach(String point, String file, byte[] content) {
    host.catalogue().putFile(point, file, content);
  }

  @Override
  public Optional<byte[]> attachment(String point, String file) {
    return host.catalogue().file(point, file);
  }

  @Override
  public void own(String volume, String owner) {
    Catalogue catalogue = host.catalogue();
    State state = catalogue.read();
    String file = state.fileOf(volume);
    boolean made = state.layers().containsKey(file) && state.layers().get(file).ours();
    if (!state.volumes().containsKey(volume) && owner.isEmpty()) {
      return;
    }
    String format = host.format(state, file);
    long bytes = host.images.info(file, format).bytes();
    catalogue.change(
        s -> {
          // Once it is taken off its machine no definition declares its format any more.
          s.layers().putIfAbsent(file, new Layer(format, "", false, false));
          Volume v = s.volumes().get(volume);
          // An image of the site's own needs no entry but for a tag.
          return owner.isEmpty() && !made
              ? s.volumes().remove(volume)
              : s.volumes().put(volume, new Volume(owner, v == null ? "" : v.pool(), bytes, file));
        });
  }

  @Override
  public List<Owned> owned(String ownerPrefix) {
    State state = host.catalogue().read();
    List<Owned> owned = new ArrayList<>();
    state.volumes().forEach((n, v) -> owned.add(new Owned("volume", n, n, v.owner())));
    state.points().forEach((n, p) -> owned.add(new Owned("point", n, n, p.owner())));
    state.snapshots().forEach((n, s) -> owned.add(new Owned("snapshot", n, n, s.owner())));
    state.markers().forEach((n, m) -> owned.add(new Owned("marker", n, n, m.owner())));
    host.hypervisor
        .domains()
        .forEach(
            d -> {
              DomainXml xml = new DomainXml(d.xml());
              owned.add(new Owned("machine", xml.uuid(), xml.name(), xml.owner()));
            });
    host.hypervisor.networks().stream()
        .map(n -> DomainXml.parse(n.xml()))
        .forEach(
            n ->
                owned.add(
                    new Owned(
                        "network",
                        DomainXml.text(n, "name"),
                        DomainXml.text(n, "name"),
                        Networks.owner(n))));
    return owned.stream()
        .filter(o -> !o.owner().isEmpty() && o.owner().startsWith(ownerPrefix))
        .toList();
  }
}
