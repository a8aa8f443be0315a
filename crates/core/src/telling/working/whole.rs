//! Workings of sums over an arrangement and over a day.

use super::sum::Sums;
use crate::site::sum::{Term, Working};
use crate::time::day::LossWh;

pub(super) fn totals(sums: &Sums<'_>, field: &str) -> Option<Working> {
    let totals = &sums.flow.totals;
    let see = |name: &'static str, value: f64, key: &str| {
        Term::see(name, value, "W", format!("totals.{key}"))
    };
    let drawn = || see("drawn", totals.drawn_w, "drawn_w");
    let delivered = || see("delivered", totals.delivered_w, "delivered_w");
    let sum = |name: &'static str, words: &'static str, terms: Vec<Term>, value: f64| {
        Some(super::sum::sum(
            name,
            words,
            terms,
            Term::computed(name, value, "W"),
        ))
    };
    match field {
        "drawn_w" => {
            let terms = sums.flow.sources.iter().map(|(id, it)| {
                Term::see(
                    format!("from {}", sums.plan.label(id)),
                    it.watts,
                    "W",
                    format!("sources.{id}.watts"),
                )
            });
            sum(
                "drawn",
                "the sum over the sources",
                terms.collect(),
                totals.drawn_w,
            )
        }
        "delivered_w" => {
            let terms = sums.flow.devices.iter().map(|(id, it)| {
                Term::see(
                    sums.plan.label(id).to_owned(),
                    it.watts,
                    "W",
                    format!("devices.{id}.watts"),
                )
            });
            sum(
                "delivered",
                "the sum over the devices",
                terms.collect(),
                totals.delivered_w,
            )
        }
        "charging_w" => {
            let inputs = sums.flow.inputs.iter();
            let terms = inputs.map(|(name, it)| {
                Term::see(name.clone(), it.watts, "W", format!("inputs.{name}.watts"))
            });
            sum(
                "into charging inputs",
                "the sum over the inputs in use",
                terms.collect(),
                totals.charging_w,
            )
        }
        "lost_w" => Some(Working::of(
            "lost",
            "drawn − delivered − into charging inputs",
            "t1 - t2 - t3",
            vec![
                drawn(),
                delivered(),
                see("into charging inputs", totals.charging_w, "charging_w"),
            ],
            Term::computed("lost", totals.lost_w, "W"),
        )),
        "cables_w" => {
            let terms = sums.flow.feeds.iter().map(|(to, it)| {
                Term::see(
                    format!("lead to {to}"),
                    it.loss_w,
                    "W",
                    format!("feeds.{to}.loss_w"),
                )
            });
            sum(
                "lost in leads",
                "the sum over the feeds",
                terms.collect(),
                totals.cables_w,
            )
        }
        "idle_w" => {
            let converters = sums.flow.converters.iter().map(|(id, it)| {
                Term::see(
                    sums.plan.label(id).to_owned(),
                    it.loss_idle_w,
                    "W",
                    format!("converters.{id}.loss_idle_w"),
                )
            });
            let ports = sums
                .flow
                .ports
                .iter()
                .filter(|(_, it)| it.loss_idle_w != 0.0);
            let ports = ports.map(|(name, it)| {
                Term::see(
                    name.clone(),
                    it.loss_idle_w,
                    "W",
                    format!("ports.{name}.loss_idle_w"),
                )
            });
            sum(
                "only because things are on",
                "the sum over converters and ports",
                converters.chain(ports).collect(),
                totals.idle_w,
            )
        }
        "efficiency" => {
            let charging = Term::see(
                "into charging inputs",
                totals.charging_w,
                "W",
                "totals.charging_w".into(),
            );
            let terms = vec![delivered(), charging, drawn()];
            Some(Working::of(
                "efficiency",
                "(delivered + into charging inputs) ÷ drawn",
                "(t1 + t2) / t3",
                terms,
                Term::computed("efficiency", totals.efficiency?, ""),
            ))
        }
        _ => None,
    }
}

pub(super) fn day(sums: &Sums<'_>, field: &str) -> Option<Working> {
    let day = sums.day;
    let term = |name: &'static str, value: f64, key: &str| {
        Term::see(name, value, "Wh", format!("day.{key}"))
    };
    let parts = || {
        vec![
            term("arriving at devices", day.delivered_wh, "delivered_wh"),
            term("into charging inputs", day.charging_wh, "charging_wh"),
            term("only because things are on", day.idle_wh, "idle_wh"),
            term(
                "lost in converters with the load",
                day.conversion_wh,
                "conversion_wh",
            ),
            term("lost in leads", day.cables_wh, "cables_wh"),
        ]
    };
    match field {
        "drawn_wh" => {
            let words = "every state of the day on the real network, times its hours: daily hours, \
                thermostats on and off, starts at each coming-on";
            Some(super::sum::sum(
                "drawn in a day",
                words,
                parts(),
                Term::computed("a day", day.drawn_wh, "Wh"),
            ))
        }
        "delivered_wh" => {
            let devices = day
                .devices
                .iter()
                .map(|(id, wh)| Term::computed(sums.plan.label(id).to_owned(), *wh, "Wh"));
            Some(super::sum::sum(
                "arriving at devices in a day",
                "the sum over the devices",
                devices.collect(),
                Term::computed("a day", day.delivered_wh, "Wh"),
            ))
        }
        "idle_wh" | "conversion_wh" => {
            let idle = field == "idle_wh";
            let part = |it: &LossWh| {
                if idle {
                    it.idle_wh
                } else {
                    it.proportional_wh + it.quadratic_wh
                }
            };
            let items = day
                .converters
                .iter()
                .chain(&day.ports)
                .filter(|it| part(it.1) != 0.0);
            let terms = items
                .map(|(id, it)| Term::computed(sums.plan.label(id).to_owned(), part(it), "Wh"))
                .collect();
            let (name, value) = if idle {
                ("only because things are on, in a day", day.idle_wh)
            } else {
                (
                    "lost in converters with the load, in a day",
                    day.conversion_wh,
                )
            };
            let words = "the sum over converters and ports";
            Some(super::sum::sum(
                name,
                words,
                terms,
                Term::computed("a day", value, "Wh"),
            ))
        }
        "cables_wh" => {
            let leads = day.leads.iter().filter(|it| *it.1 != 0.0);
            let terms = leads.map(|(to, wh)| {
                Term::computed(format!("lead to {}", sums.plan.label(to)), *wh, "Wh")
            });
            let result = Term::computed("a day", day.cables_wh, "Wh");
            Some(super::sum::sum(
                "lost in leads in a day",
                "the sum over the leads",
                terms.collect(),
                result,
            ))
        }
        "charging_wh" => {
            let mut terms = vec![term("drawn", day.drawn_wh, "drawn_wh")];
            terms.extend(
                parts()
                    .into_iter()
                    .filter(|it| it.see.as_deref() != Some("day.charging_wh")),
            );
            let words = "drawn, less what arrives at devices and what is lost; a store that is \
                full takes no more";
            let result = Term::computed("a day", day.charging_wh, "Wh");
            Some(Working::of(
                "into charging inputs in a day",
                words,
                "t1 - t2 - t3 - t4 - t5",
                terms,
                result,
            ))
        }
        _ => None,
    }
}
