package bargelane.standins.store;

import bargelane.standins.store.StoreState.LayerRecord;
import bargelane.standins.store.StoreState.PointRecord;
import java.io.IOException;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.locks.ReentrantReadWriteLock;

/**
 * The chains of layers that volumes and points stand on. A layer that nobody names goes, or is
 * merged with the single one above it, so that a chain is no longer than its points want.
 */
final class Layers {

  /** Stores the state as it is now. */
  interface Save {
    void run() throws IOException;
  }

  private final Path dir;
  private final StoreState state;
  private final ReentrantReadWriteLock instant;
  private final Save save;
  private final Map<String, Layer> all = new HashMap<>();

  /** Layers that are read as they are, with how many do so. */
  private final Map<Layer, Integer> pinned = new ConcurrentHashMap<>();

  Layers(Path dir, StoreState state, ReentrantReadWriteLock instant, Save save) {
    this.dir = dir;
    this.state = state;
    this.instant = instant;
    this.save = save;
  }

  /** Opens every layer that is recorded. */
  void load() throws IOException {
    for (String id : state.layers.keySet()) {
      get(id);
    }
  }

  /** A layer that is recorded, with those below it. */
  Layer get(String id) throws IOException {
    synchronized (all) {
      Layer known = all.get(id);
      if (known == null) {
        LayerRecord record = state.layers.get(id);
        Optional<Layer> parent =
            record.parent().isEmpty() ? Optional.empty() : Optional.of(get(record.parent()));
        known = new Layer(id, dir, record.size(), parent);
        all.put(id, known);
      }
      return known;
    }
  }

  /** A blank layer on another. */
  Layer fresh(long size, Optional<Layer> parent) throws IOException {
    String id = "l" + state.nextLayer++;
    state.layers.put(id, new LayerRecord(parent.map(Layer::id).orElse(""), size));
    return get(id);
  }

  /** Takes a raw image over as a layer; the file is moved away. */
  Layer adopt(Path raw, long size) throws IOException {
    String id = "l" + state.nextLayer++;
    Layer.adopt(raw, dir, id, size);
    state.layers.put(id, new LayerRecord("", size));
    return get(id);
  }

  /** Leaves a layer as it is until it is unpinned as often. */
  void pin(Layer layer) {
    pinned.merge(layer, 1, Integer::sum);
  }

  void unpin(Layer layer) {
    pinned.computeIfPresent(layer, (l, n) -> n == 1 ? null : n - 1);
  }

  /** Bytes of data in all layers. */
  long used() {
    long sum = 0;
    synchronized (all) {
      for (Layer layer : all.values()) {
        sum += layer.used();
      }
    }
    return sum;
  }

  void close() throws IOException {
    for (Layer layer : all.values()) {
      layer.flush();
      layer.close();
    }
  }

  /**
   * Removes layers that nothing stands on, and merges each unnamed layer with its single child, in
   * the direction that copies less. A merge that is killed is done again: views through the child
   * never change.
   */
  void tidy() throws IOException {
    boolean again = true;
    while (again) {
      again = false;
      java.util.Set<String> named = new LinkedHashSet<>(state.tops.values());
      state.points.values().forEach(p -> named.addAll(p.layers().values()));
      Map<String, List<String>> children = new HashMap<>();
      state.layers.forEach(
          (id, r) ->
              children.computeIfAbsent(r.parent(), k -> new java.util.ArrayList<>()).add(id));
      for (String id : List.copyOf(state.layers.keySet())) {
        List<String> kids = children.getOrDefault(id, List.of());
        if (!named.contains(id) && kids.isEmpty()) {
          state.layers.remove(id);
          save.run();
          synchronized (all) {
            all.remove(id).delete();
          }
          again = true;
          break;
        }
        if (!named.contains(id)
            && kids.size() == 1
            && !pinned.containsKey(all.get(id))
            && !pinned.containsKey(all.get(kids.get(0)))) {
          merge(all.get(id), all.get(kids.get(0)));
          again = true;
          break;
        }
      }
    }
  }

  private void merge(Layer lower, Layer upper) throws IOException {
    boolean upperIsWritten = state.tops.containsValue(upper.id());
    if (!upperIsWritten && upper.used() < lower.used()) {
      copyBlocks(upper, lower, true);
      replace(upper, lower);
    } else {
      copyBlocks(lower, upper, false);
      state.layers.put(
          upper.id(),
          new LayerRecord(
              lower.parent().map(Layer::id).orElse(""), state.layers.get(upper.id()).size()));
      state.layers.remove(lower.id());
      instant.writeLock().lock();
      try {
        upper.parent(lower.parent());
      } finally {
        instant.writeLock().unlock();
      }
      save.run();
      synchronized (all) {
        all.remove(lower.id()).delete();
      }
    }
  }

  /**
   * The lower layer, which now holds all of the upper one, takes its place under its name's users.
   */
  private void replace(Layer upper, Layer lower) throws IOException {
    state.points.replaceAll(
        (name, p) -> {
          Map<String, String> moved = new LinkedHashMap<>();
          p.layers().forEach((v, l) -> moved.put(v, l.equals(upper.id()) ? lower.id() : l));
          return new PointRecord(p.name(), p.owner(), moved, p.keys());
        });
    state.layers.replaceAll(
        (id, r) -> r.parent().equals(upper.id()) ? new LayerRecord(lower.id(), r.size()) : r);
    state.layers.remove(upper.id());
    instant.writeLock().lock();
    try {
      for (Layer layer : all.values()) {
        if (layer.parent().isPresent() && layer.parent().get() == upper) {
          layer.parent(Optional.of(lower));
        }
      }
    } finally {
      instant.writeLock().unlock();
    }
    save.run();
    synchronized (all) {
      all.remove(upper.id()).delete();
    }
  }

  private void copyBlocks(Layer from, Layer to, boolean overwrite) throws IOException {
    java.nio.ByteBuffer block = java.nio.ByteBuffer.allocate(Layer.BLOCK);
    for (int i = from.next(0); i < from.blocks(); i = from.next(i + 1)) {
      if (!overwrite && to.state(i) != BlockMap.ABSENT) {
        continue;
      }
      instant.writeLock().lock();
      try {
        if (!overwrite && to.state(i) != BlockMap.ABSENT) {
          continue;
        }
        if (from.state(i) == BlockMap.DATA) {
          block.clear();
          from.read((long) i * Layer.BLOCK, block);
          to.write((long) i * Layer.BLOCK, block.flip());
        }
        to.state(i, from.state(i));
      } finally {
        instant.writeLock().unlock();
      }
    }
  }
}
