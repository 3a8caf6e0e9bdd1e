package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import bargelane.sites.libvirt.Catalogue.Layer;
import bargelane.sites.libvirt.Catalogue.Point;
import bargelane.sites.libvirt.Catalogue.State;
import bargelane.sites.libvirt.Catalogue.Volume;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Chains of qcow2 layers on a host: who may write to them, and how those go that nothing needs any
 * more.
 */
final class Layers {

  private static final Logger log = LoggerFactory.getLogger(Layers.class);

  private final Host host;

  Layers(Host host) {
    this.host = host;
  }

  /** Keeps everybody from writing to layers that a point holds and no machine has. */
  void hold(State state, Collection<String> layers) {
    host.shell.writable(List.of(), held(state, layers));
  }

  private Set<String> held(State state, Collection<String> layers) {
    Set<String> held = ours(state, layers);
    held.retainAll(state.frozen());
    if (!held.isEmpty()) {
      held.removeAll(machines());
    }
    return held;
  }

  private static Set<String> ours(State state, Collection<String> layers) {
    return layers.stream()
        .filter(l -> state.layers().containsKey(l) && state.layers().get(l).ours())
        .collect(Collectors.toCollection(HashSet::new));
  }

  /** Lets layers be written again that no point holds. */
  void release(State state, Set<String> layers) {
    Set<String> free = ours(state, layers);
    free.removeAll(state.frozen());
    host.shell.writable(free, List.of());
  }

  private Set<String> machines() {
    return host.hypervisor.domains().stream()
        .flatMap(d -> new DomainXml(d.xml()).disks().stream())
        .map(DomainXml.Disk::file)
        .collect(Collectors.toSet());
  }

  /**
   * Whether a layer of ours holds nothing of its own, lies on another of ours of the same size, and
   * no machine has it.
   */
  boolean blank(State state, String layer) {
    Layer top = state.layers().get(layer);
    Layer below = top == null ? null : state.layers().get(top.backing());
    if (below == null || !top.ours() || !below.ours() || below.going()) {
      return false;
    }
    return host.images.blank(layer, top.backing()) && host.user(layer).isEmpty();
  }

  /**
   * Removes and merges layers that no volume and no point needs any more. One does at a time: a
   * second would take the marks from layers that the first is merging.
   */
  void tidy(Catalogue catalogue) {
    if (catalogue.read().layers().isEmpty()) {
      return;
    }
    host.shell.alone(catalogue.directory() + "/tidying", () -> tidyAlone(catalogue));
  }

  /** Whether there is a layer that no volume is written in and no point holds. */
  static boolean unneeded(State state) {
    Set<String> needed = state.frozen();
    state.volumes().values().forEach(v -> needed.add(v.layer()));
    return !needed.containsAll(state.layers().keySet());
  }

  private void tidyAlone(Catalogue catalogue) {
    Set<String> machines = machines();
    boolean merged = false;
    boolean changed = true;
    while (changed) {
      State state = catalogue.read();
      Set<String> needed = state.frozen();
      state.volumes().values().forEach(v -> needed.add(v.layer()));
      needed.addAll(machines);
      changed = false;
      for (String file : new ArrayList<>(state.layers().keySet())) {
        if (!needed.contains(file)) {
          List<String> children = state.children(file);
          boolean alone =
              children.size() == 1
                  && state.layers().get(file).ours()
                  && !machines.contains(children.get(0))
                  && state.volumes().values().stream()
                      .noneMatch(v -> v.layer().equals(children.get(0)));
          if (children.isEmpty()) {
            changed = drop(catalogue, file, state.layers().get(file).ours());
          } else if (alone) {
            merged = true;
            changed = merge(catalogue, file, children.get(0));
          }
          if (changed) {
            break;
          }
        }
      }
    }
    if (merged) {
      State state = catalogue.read();
      hold(state, state.layers().keySet());
    }
  }

  private boolean drop(Catalogue catalogue, String file, boolean ours) {
    if (ours) {
      catalogue.change(
          s -> {
            going(s, file, true);
            return null;
          });
      host.images.remove(file);
    }
    catalogue.change(s -> s.layers().remove(file));
    return true;
  }

  /**
   * Makes one of two layers. The upper one's content stays what it was; which file it is in after
   * that depends on which was the smaller one.
   */
  private boolean merge(Catalogue catalogue, String lower, String upper) {
    // Both are marked first: from then on nothing new is laid on either.
    boolean ours =
        catalogue.change(
            s -> {
              boolean still =
                  s.children(lower).equals(List.of(upper)) && !s.frozen().contains(lower);
              if (still) {
                going(s, lower, true);
                going(s, upper, true);
              }
              return still;
            });
    if (!ours) {
      return false;
    }
    State state = catalogue.read();
    Layer below = state.layers().get(lower);
    try {
      Set<String> touched = new HashSet<>(state.children(upper));
      touched.addAll(List.of(lower, upper));
      host.shell.writable(touched, List.of());
      Map<String, HostShell.Stat> takes = host.shell.stat(List.of(upper, lower));
      if (takes.get(upper).takes() <= takes.get(lower).takes()) {
        host.images.commit(upper, lower);
        for (String on : state.children(upper)) {
          host.images.relink(on, lower, below.format());
        }
        catalogue.change(
            s -> {
              replace(s, upper, lower);
              going(s, lower, false);
              return s.layers().put(upper, new Layer("qcow2", lower, true, true));
            });
        drop(catalogue, upper, true);
      } else {
        if (below.backing().isEmpty()) {
          host.images.rebase(upper, "", "");
        } else {
          host.images.rebase(upper, below.backing(), state.layers().get(below.backing()).format());
        }
        catalogue.change(
            s -> s.layers().put(upper, new Layer("qcow2", below.backing(), true, false)));
        drop(catalogue, lower, below.ours());
      }
      return true;
    } catch (SiteException e) {
      // In use: the next point that goes tries again.
      log.debug("{} and {} are not merged yet: {}", lower, upper, e.getMessage());
      catalogue.change(
          s -> {
            going(s, lower, false);
            going(s, upper, false);
            return null;
          });
      return false;
    }
  }

  private static void going(State s, String file, boolean going) {
    s.layers()
        .computeIfPresent(file, (f, l) -> new Layer(l.format(), l.backing(), l.ours(), going));
  }

  private static void replace(State s, String old, String fresh) {
    s.volumes()
        .replaceAll(
            (n, v) ->
                v.layer().equals(old) ? new Volume(v.owner(), v.pool(), v.bytes(), fresh) : v);
    s.points()
        .replaceAll(
            (n, p) -> {
              Map<String, String> layers = new LinkedHashMap<>(p.layers());
              layers.replaceAll((v, l) -> l.equals(old) ? fresh : l);
              return new Point(p.owner(), layers);
            });
    s.layers()
        .replaceAll(
            (n, l) ->
                l.backing().equals(old) ? new Layer(l.format(), fresh, l.ours(), l.going()) : l);
  }
}
