package bargelane.core.assess;

import bargelane.core.assess.Assumptions.Headroom;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.List;

/**
 * What the estate would cost, and how many machines would be above their size, for a grid of
 * choices. Machines are handed in one after the other, from any thread; what is asked of them is
 * what an assessment on the observed basis asks, by the same code. Only machines that have a size
 * at every choice are in the sums, so that choices can be compared.
 */
public final class WhatIf {

  /** One choice. */
  public record Choice(
      double percentile, double headroomPercent, Commitment commitment, BigDecimal hoursAWeek) {}

  /**
   * What a choice leads to.
   *
   * @param monthly of the machines that have a size at every choice
   * @param machines all of them
   * @param above machines of those that were above their size at some time of the window
   * @param aboveHours for how long, all machines together
   * @param unsized machines that have no size at this one
   */
  public record Point(
      Choice choice, BigDecimal monthly, int machines, int above, double aboveHours, int unsized) {

    /** Whether none of the others is cheaper without being above more often, or the reverse. */
    public boolean bestOf(List<Point> all) {
      return all.stream().noneMatch(other -> other.better(this));
    }

    private boolean better(Point than) {
      int price = monthly.compareTo(than.monthly);
      return price <= 0 && above <= than.above && (price < 0 || above < than.above);
    }
  }

  /** Choices in one grid. */
  public static final int MOST = 1000;

  /**
   * Each of these values with each of the others; a list that is empty stands for the own value.
   *
   * @throws IllegalArgumentException if there are more than {@value #MOST}
   */
  public static List<Choice> grid(
      Assumptions own,
      List<Double> percentiles,
      List<Double> headrooms,
      List<Commitment> commitments,
      List<BigDecimal> hoursAWeek) {
    List<Double> shares = or(percentiles, own.percentile());
    List<Double> rooms = or(headrooms, own.headroom().cpu());
    List<Commitment> terms = or(commitments, own.commitment());
    List<BigDecimal> hours = or(hoursAWeek, own.hoursAWeek());
    // As doubles: four long lists are more than an int or a long counts.
    if ((double) shares.size() * rooms.size() * terms.size() * hours.size() > MOST) {
      throw new IllegalArgumentException("these choices have more than " + MOST + " combinations");
    }
    List<Choice> all = new ArrayList<>();
    for (double share : shares) {
      for (double room : rooms) {
        for (Commitment term : terms) {
          for (BigDecimal of : hours) {
            all.add(new Choice(share, room, term, of));
          }
        }
      }
    }
    return all;
  }

  private static <T> List<T> or(List<T> asked, T own) {
    return asked.isEmpty() ? List.of(own) : asked;
  }

  private final List<Choice> choices;
  private final List<Sizing> sizings;
  private final BigDecimal[] monthly;
  private int machines;
  private int compared;
  private final int[] above;
  private final long[] aboveSeconds;
  private final int[] unsized;

  /**
   * @throws IllegalArgumentException if a choice can't be made, or there are more than {@value
   *     #MOST}
   */
  public WhatIf(Offer offer, Assumptions assumptions, List<Choice> choices) {
    if (choices.isEmpty() || choices.size() > MOST) {
      throw new IllegalArgumentException(choices.size() + " choices are not 1 to " + MOST);
    }
    this.choices = List.copyOf(choices);
    this.sizings =
        choices.stream()
            .map(
                c ->
                    new Sizing(
                        offer,
                        assumptions.choosing(
                            c.percentile(),
                            Headroom.all(c.headroomPercent()),
                            c.commitment(),
                            c.hoursAWeek())))
            .toList();
    monthly = new BigDecimal[choices.size()];
    java.util.Arrays.fill(monthly, BigDecimal.ZERO.setScale(2));
    above = new int[choices.size()];
    aboveSeconds = new long[choices.size()];
    unsized = new int[choices.size()];
  }

  /** Takes one machine into account. */
  public void add(Subject machine) {
    Sized[] all = new Sized[sizings.size()];
    boolean everywhere = true;
    for (int i = 0; i < all.length; i++) {
      all[i] = sizings.get(i).size(Basis.OBSERVED, machine);
      everywhere &= all[i].monthly().isPresent();
    }
    synchronized (this) {
      machines++;
      compared += everywhere ? 1 : 0;
      for (int i = 0; i < all.length; i++) {
        Sized sized = all[i];
        if (sized.monthly().isEmpty()) {
          unsized[i]++;
        }
        if (everywhere) {
          monthly[i] = monthly[i].add(sized.monthly().get());
          if (sized.above()) {
            above[i]++;
            aboveSeconds[i] +=
                Math.max(sized.aboveCpu().toSeconds(), sized.aboveMemory().toSeconds());
          }
        }
      }
    }
  }

  /** Machines that are in the sums. */
  public synchronized int compared() {
    return compared;
  }

  public synchronized List<Point> points() {
    List<Point> points = new ArrayList<>();
    for (int i = 0; i < sizings.size(); i++) {
      points.add(
          new Point(
              choices.get(i),
              monthly[i],
              machines,
              above[i],
              aboveSeconds[i] / 3600.0,
              unsized[i]));
    }
    return points;
  }
}
