// What the person wants on the Level page, from row, key, button or field, to edits for the server and questions to it.

import { chainEdit } from "./drawn.js";
import { askReplace } from "./replace.js";
import { chainOf, chosenIds, dropOthersView, rowOf, rowsShown, subjectOf, takesBeside } from "./model.js";

const HERE_SAMPLES = 24000;
const NUDGE_WAIT_MS = 300;

export function newActions({ model, api, urls, player, edit, say, parts, showCounts }) {
  const actions = {
    sort: (key) => {
      model.sort = { key, isUp: model.sort.key === key ? !model.sort.isUp : true };
      parts.sheet.show();
    },
    choose: (id, { isRange = false, isMore = false, isKey = false }) => {
      if (isRange) {
        const rows = rowsShown(model).map((row) => row.id);
        const [a, b] = [rows.indexOf(model.anchorId ?? model.focusId), rows.indexOf(id)];
        for (const one of rows.slice(Math.min(a, b), Math.max(a, b) + 1)) model.chosen.add(one);
      } else if (isMore) {
        if (model.chosen.has(id)) model.chosen.delete(id);
        else model.chosen.add(id);
        model.anchorId = id;
      } else {
        if (!isKey || model.chosen.size < 2) model.chosen.clear();
        model.anchorId = id;
      }
      focus(id);
    },
    goTo: (id) => {
      const row = rowOf(model, id);
      if (row) {
        actions.seek(row.start_sample);
        player.play();
      }
    },
    seek: (sample) => {
      player.seek(sample);
      parts.strip.paint();
    },
    setGain: (id, text) => edit({ kind: "gain", target: "clip", id, gain_db: String(text) }),
    advise: (ids = chosenIds(model)) => {
      const gains = ids
        .map((id) => rowOf(model, id))
        .filter((row) => row && row.advised_db !== null && Math.abs(row.advised_db - row.gain_db) > 0.04)
        .map((row) => [row.id, row.advised_db]);
      if (gains.length) edit({ kind: "gains", gains });
      else say("They are at their aim already, or cannot be measured.");
    },
    nudge: (by) => {
      const ids = chosenIds(model);
      return edit(moreGain(ids), { key: `nudge ${ids.join()}`, amount: by, holdMs: NUDGE_WAIT_MS });
    },
    lift: (id, byDb) => edit(moreGain([id]), { amount: byDb }),
    aimAt: (kind) => {
      const row = rowOf(model, model.focusId);
      if (kind === "clip") model.target = { kind, id: model.focusId };
      else if (kind === "track") model.target = { kind, id: row ? row.track_id : model.state.tracks[0]?.id };
      else if (kind === "stem") model.target = { kind, id: row ? row.role : model.state.stems[0]?.id };
      else model.target = { kind, id: "mix" };
      model.index = 0;
      model.draft = null;
      model.curve = null;
      model.view = null;
      parts.chain.show();
      parts.ride.show();
      actions.look();
    },
    // change: the chain that stands there when its turn comes, to the chain that is wanted.
    setChain: (change, { key = null } = {}) => {
      const target = { ...model.target };
      const ids = target.kind === "clip" ? chosenIds(model) : [target.id];
      model.draft = null;
      model.draftOf = null;
      return edit(chainEdit(target, ids, change), { key, holdMs: key ? NUDGE_WAIT_MS : 0 });
    },
    addProcessor: async (kind) => {
      const known = (one) => model.page.kinds.find((k) => k.kind === one);
      const placeIn = (now) => now.map((p) => known(p.kind).rank <= known(kind).rank).lastIndexOf(true) + 1;
      model.index = placeIn(chainOf(model));
      const done = await actions.setChain((now) => [
        ...now.slice(0, placeIn(now)),
        { kind },
        ...now.slice(placeIn(now)),
      ]);
      const next = chainOf(model)[model.index + 1];
      if (done && next) say(`${known(kind).label} stands before ${known(next.kind).label}: there it works.`, true);
      if (done && kind === "noise") actions.find("noise");
    },
    bypass: () => {
      const { index } = model;
      if (chainOf(model)[index])
        actions.setChain((now) => now.map((p, i) => (i === index ? { ...p, is_bypassed: !p.is_bypassed } : p)));
    },
    moveProcessor: (by) => actions.moveTo(model.index, model.index + by),
    moveTo: (from, to) => {
      if (to < 0 || to >= chainOf(model).length) return;
      model.index = to;
      actions.setChain((now) => {
        const next = [...now];
        next.splice(to, 0, ...next.splice(from, 1));
        return next;
      });
    },
    // An edge of the marked range at the playhead: 0 where it begins, 1 where it ends.
    mark: (edge) => {
      const at = Math.round(player.position());
      const marked = model.marked ? [...model.marked] : [at, at];
      marked[edge] = at;
      actions.markRange(marked[0] < marked[1] ? marked : edge ? [Math.max(0, at - 24000), at] : [at, at + 24000]);
    },
    markRange: (range) => {
      model.marked = range;
      parts.strip.paint();
      parts.chain.show();
    },
    find: async (what, { name = "", isHere = false, isMarked = false } = {}) => {
      const at = Math.round(player.position());
      const here = isMarked ? model.marked : isHere ? [Math.max(0, at - HERE_SAMPLES), at + HERE_SAMPLES] : [0, 0];
      const span = { from_sample: here[0], to_sample: here[1] };
      try {
        const found = await api.post(urls.find, {
          what,
          target: model.target.kind,
          id: model.target.id,
          name,
          at_sample: at,
          ...span,
        });
        const { index } = model;
        const [first] = found.chain;
        const sameIn = (now) => (now[index]?.kind === first.kind ? index : now.findIndex((p) => p.kind === first.kind));
        const renewed = (p) => ({
          ...p,
          values: { ...(p.values || {}), ...(first.values || {}) },
          ...(first.profile_db ? { profile_db: first.profile_db } : {}),
        });
        const how = what === "start" ? await askReplace(chainOf(model), "the starting point") : "replace";
        if (!how) {
          parts.chain.show();
          return;
        }
        const change = (now) => {
          if (what === "start") return how === "behind" ? [...now, ...found.chain] : found.chain;
          const same = sameIn(now);
          if (same >= 0) return now.map((p, i) => (i === same ? renewed(p) : p));
          return [...now.slice(0, found.place), first, ...now.slice(found.place)];
        };
        const same = sameIn(chainOf(model));
        model.index = what === "start" ? 0 : same >= 0 ? same : found.place;
        if (await actions.setChain(change)) say(found.words);
      } catch (error) {
        say(error.message);
      }
    },
    usePreset: async (id) => {
      try {
        const found = await api.post(urls.presets, { do: "read", id });
        const how = await askReplace(chainOf(model), "the preset");
        if (how) {
          model.index = 0;
          await actions.setChain((now) => (how === "behind" ? [...now, ...found.chain] : found.chain));
        } else parts.chain.show();
      } catch (error) {
        say(error.message);
      }
    },
    keepPreset: () => {
      document.getElementById("preset-dialog").showModal();
    },
    spread: (by) => {
      const row = rowOf(model, model.target.id);
      if (!row || !row[by]) {
        say(by === "group" ? "This clip is in no group." : "Nobody is named as its speaker.");
        return;
      }
      const ids = model.state.clips.filter((one) => one[by] === row[by] && one.role === row.role).map((one) => one.id);
      const target = { ...model.target };
      edit((state) => ({ kind: "chain", target: "clip", ids, chain: chainOf({ state }, target) }));
    },
    // The chosen takes to the tone of another one; without one each to the middle of its speaker's takes.
    matchTone: (toId, { isWhole = false } = {}) => {
      const row = rowOf(model, model.target.id);
      const ids = isWhole ? takesBeside(model, row).map((one) => one.id) : chosenIds(model);
      edit({ kind: "match-tone", ids, to_id: toId });
    },
    placeOnCurve: (span) => {
      const row = rowOf(model, model.target.id);
      const at =
        model.target.kind === "clip" && row ? player.position() - row.start_sample + row.in_sample : player.position();
      return Math.round(Math.min(span.to, Math.max(span.from, at)));
    },
    look: () => {
      lookAtOnce();
      clearTimeout(lookTimer);
      lookTimer = setTimeout(look, 60);
    },
    wholeReduction: async () => {
      try {
        const found = await api.post(urls.whole, { ...lookAt() });
        model.view = { ...model.view, ...found, from_sample: 0, whole: true };
        parts.chain.showView();
      } catch (error) {
        say(error.message);
      }
    },
    said: (words) => say(words),
  };

  // More or less gain than stands there when its turn comes, on clips that are still there.
  function moreGain(ids) {
    return (state, byDb) => {
      const rows = state.clips.filter((row) => ids.includes(row.id));
      return rows.length
        ? { kind: "gains", gains: rows.map((row) => [row.id, Math.round((row.gain_db + byDb) * 100) / 100]) }
        : null;
    };
  }

  function lookAt() {
    return {
      target: model.target.kind,
      id: model.target.id,
      index: model.index,
      at_sample: Math.round(player.position()),
      chain: model.draft || chainOf(model),
    };
  }

  // What follows from the values alone, before anything is rendered: the response, or the static curve.
  let isAsking = false;
  let isAskedAgain = false;
  async function lookAtOnce() {
    if (!model.view || !model.target.id || !(model.draft || chainOf(model))[model.index]) return;
    if (isAsking) {
      isAskedAgain = true;
      return;
    }
    isAsking = true;
    const subject = subjectOf(model);
    try {
      const found = await api.post(urls.static, lookAt());
      if (model.view && subjectOf(model) === subject) {
        dropOthersView(model);
        model.view = { ...model.view, ...found };
        parts.chain.showCurves();
      }
    } catch {
      /* the whole view says what is wrong */
    }
    isAsking = false;
    if (isAskedAgain) {
      isAskedAgain = false;
      lookAtOnce();
    }
  }

  let lookTimer = null;
  let looked = 0;
  let isLooking = false;
  async function look() {
    if (!model.target.id || !model.state.length_samples) return;
    if (isLooking) {
      looked += 1;
      return;
    }
    isLooking = true;
    const mine = looked;
    try {
      const subject = subjectOf(model);
      const found = await api.post(urls.view, lookAt());
      // What is in focus now is asked about below.
      if (subjectOf(model) !== subject) looked += 1;
      else {
        model.view = { ...found, subject };
        parts.chain.showView();
      }
      if (model.draft) player.refresh();
    } catch (error) {
      if (!model.draft) say(error.message);
    }
    isLooking = false;
    if (looked !== mine) actions.look();
  }

  function focus(id) {
    const isOther = id !== model.focusId;
    model.focusId = id;
    if (model.target.kind === "clip" && model.target.id !== id) {
      model.target = { kind: "clip", id };
      model.index = 0;
      model.draft = null;
      model.curve = null;
      model.view = null;
    }
    parts.sheet.mark();
    showCounts();
    if (isOther) parts.strip.follow();
    parts.chain.show();
    parts.ride.show();
    actions.look();
  }
  return actions;
}
